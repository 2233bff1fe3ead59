// The one way to change a line: an operation is sent, made on the state that the page saw, and shown as the server
// answers.

import { type LineView, type Op, type OperationView, api, queries } from './client';
import { forgetRefusal, tell } from '../widgets/tell';
import { type Answer, enqueue, isNewest, isUnderWay, ownGesture, withoutName } from './queue';

/** How an operation is sent. */
export interface How {
  /** Messages of one gesture are one step. */
  gesture?: string;
  /** Which of several things of the gesture it is about: a newer message takes the place only of one about the same. */
  of?: string;
  /** Made on the line as it is now, whatever others did since. */
  anyway?: boolean;
}

const thing = (line: number) => `line ${line}`;
const key = (line: number) => ['line', line];
const refresh = (line: number) => () => void queries.invalidateQueries({ queryKey: key(line) });
const answer = (line: LineView): Answer => ({
  revision: line.revision,
  show: () => queries.setQueryData(key(line.summary.id), line),
});

/** The line that is shown. */
const shown = (line: number) => queries.getQueryData<LineView>(key(line));

/** An answer without the times that the page had, with them. */
function withTimes(line: LineView, before: LineView | undefined): LineView {
  if (!before || !line.times || line.times !== before.times || line.document.timing) return line;
  const { timing } = before.document;
  return {
    ...line,
    phrasing: before.phrasing,
    unwritten: before.unwritten,
    document: { ...line.document, timing },
  };
}

/** Takes a line as the server has it now. */
export function show(line: LineView) {
  if (isNewest(thing(line.summary.id), line.revision)) answer(line).show();
}

/** Fetches a line; one that is older than what an answer brought meanwhile is not taken. */
export async function fetchLine(id: number): Promise<LineView> {
  const line = await api.line(id);
  if (isNewest(thing(id), line.revision)) return line;
  return shown(id) ?? line;
}

/** Whether something of a line is still to be sent or answered. */
export const isBusy = (line: number) => isUnderWay(thing(line));

let last = { of: '', gesture: '', at: 0 };
/** Milliseconds in which the same key pressed again is one step with before. */
const SOON = 1500;

/** The gesture that a change belongs to: the one before, if a drag of the same thing goes on. */
export function gestureOf(of: string, goesOn: boolean): string {
  const gesture = goesOn && last.of === of ? last.gesture : ownGesture();
  last = { of, gesture, at: Date.now() };
  return gesture;
}

/** The gesture of a key press: the one before, if the same thing was moved by key just now. */
export const gestureOfKey = (of: string) => gestureOf(of, Date.now() - last.at < SOON);

/** Makes an operation on a line. Gives what the server answered; nothing if it was refused, which is said, or if a
 * newer message of the same gesture took its place. */
export function act(line: number, op: Op, how: How = {}): Promise<OperationView | null> {
  const gesture = how.gesture ?? ownGesture();
  let made: OperationView | null = null;
  const did = enqueue(thing(line), {
    send: async (seen) => {
      const before = shown(line);
      made = await api.operate(line, op, gesture, how.anyway ? undefined : seen, before?.times);
      made.line = withTimes(made.line, before);
      return answer(made.line);
    },
    one: how.gesture && `${gesture} ${op.do} ${how.of ?? ''}`,
    anyway: () => void act(line, op, { anyway: true }),
    refresh: refresh(line),
  });
  return did.then((ok) => (ok ? made : null));
}

/** Takes the last step of a line back, or makes it again: after everything that was sent before. */
export const turn = (line: number, way: 'undo' | 'redo') =>
  withoutName(async () => {
    const made = await enqueue(thing(line), {
      send: async (seen) => answer(await api[way](line, seen)),
      refresh: refresh(line),
    });
    if (made) forgetRefusal();
  });

/** Does something with a line that answers with the line: an upload, a snapshot. */
export const answered = (work: Promise<LineView>): Promise<LineView | null> =>
  withoutName(async () => {
    try {
      const line = await work;
      show(line);
      return line;
    } catch (error) {
      tell(error);
      return null;
    }
  });
