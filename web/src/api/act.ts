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

/** The line as it came last: while more is to be sent, not every answer is shown. */
let came: LineView | undefined;

/** The newest state of a line that is here. */
function newest(line: number): LineView | undefined {
  const seen = shown(line);
  return came?.summary.id === line && came.revision >= (seen?.revision ?? 0) ? came : seen;
}

/** A list of which some gave way to others. */
const spliced = <T>(list: T[], { from, gone, put }: { from: number; gone: number; put: T[] }) => [
  ...list.slice(0, from),
  ...put,
  ...list.slice(from + gone),
];

/** An answer without times that were here before, with them. */
function withTimes(line: LineView, before: LineView | undefined): LineView {
  const had = before?.document.timing;
  if (!before || !had || line.document.timing) return line;
  if (line.times && line.times === before.times) {
    const { phrasing, unwritten } = before;
    return { ...line, phrasing, unwritten, document: { ...line.document, timing: had } };
  }
  const { retimed } = line;
  const said = before.phrasing;
  if (!retimed || !said || retimed.since !== before.times) return line;
  const { rate, pitch_hz, pitch_range, level_db, listen, size, unwritten } = retimed;
  const timing = {
    text: retimed.text ?? had.text,
    words: spliced(had.words, retimed.words),
    sounds: spliced(had.sounds, retimed.sounds),
    noises: spliced(had.noises ?? [], retimed.noises),
    listen,
    size,
  };
  const phrasing = {
    phrases: spliced(said.phrases, retimed.phrases),
    pauses: spliced(said.pauses, retimed.pauses),
    breaths: spliced(said.breaths, retimed.breaths),
    stress: spliced(said.stress, retimed.stress),
    rate,
    pitch_hz,
    pitch_range,
    level_db,
  };
  return { ...line, phrasing, unwritten, document: { ...line.document, timing } };
}

/** Notes what came for a line, whole: `before` is the state whose times were named when it was asked for. */
function whole(line: LineView, before: LineView | undefined): LineView {
  came = withTimes(line, before);
  return came;
}

/** Takes a line as the server has it now. */
export function show(line: LineView) {
  if (isNewest(thing(line.summary.id), line.revision)) answer(line).show();
}

/** Fetches a line; one that is older than what an answer brought meanwhile is not taken. */
export async function fetchLine(id: number): Promise<LineView> {
  const before = newest(id);
  const line = whole(await api.line(id, before?.times), before);
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
      const before = newest(line);
      const came = await api.operate(line, op, gesture, how.anyway ? undefined : seen, before?.times);
      made = { ...came, line: whole(came.line, before) };
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
      send: async (seen) => {
        const before = newest(line);
        return answer(whole(await api[way](line, seen, before?.times), before));
      },
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
