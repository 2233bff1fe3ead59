// The one way to change a line: an operation is sent, made on the state that the page saw, and shown as the server
// answers. One is under way at a time; of a drag the newest waits.

import {
  type LineView,
  type Op,
  type OperationView,
  api,
  forgetRefusal,
  isMeanwhile,
  queries,
  tell,
} from './client';

/** How an operation is sent. */
export interface How {
  /** Messages of one gesture are one step. */
  gesture?: string;
  /** Made on the line as it is now, whatever others did since. */
  anyway?: boolean;
}

interface Waiting {
  /** Sends it as made on a revision; gives the line as it is then. */
  send: (made: number | undefined) => Promise<LineView>;
  /** What it is one more message of: a newer one of the same takes its place while it waits. */
  one?: string;
  /** Makes it on the line as others left it. */
  anyway?: () => void;
  done: (made: boolean) => void;
}

interface Queue {
  waiting: Waiting[];
  busy: boolean;
}

const queues = new Map<number, Queue>();

/** The newest revision of each line that the page knows. */
const revisions = new Map<number, number>();
/** Names of gestures that were made here: their events are our own. */
const own = new Set<string>();
/** How many of our own changes are under way whose events bear no name. */
let turning = 0;

/** Takes a line as the server has it now. */
export function show(line: LineView) {
  const { id } = line.summary;
  if (line.revision < (revisions.get(id) ?? 0)) return;
  revisions.set(id, line.revision);
  queries.setQueryData(['line', id], line);
}

/** Fetches a line; one that is older than what an answer brought meanwhile is not taken. */
export async function fetchLine(id: number): Promise<LineView> {
  const line = await api.line(id);
  if (line.revision < (revisions.get(id) ?? 0)) {
    return queries.getQueryData<LineView>(['line', id]) ?? line;
  }
  revisions.set(id, line.revision);
  return line;
}

/** Whether a change that the server tells of was made on this page. */
export const isOwn = (gesture: string | null) => (gesture === null ? turning > 0 : own.has(gesture));

/** Whether something of a line is still to be sent or answered. */
export const isBusy = (line: number) => {
  const queue = queues.get(line);
  return queue !== undefined && (queue.busy || queue.waiting.length > 0);
};

const name = () => `${Date.now().toString(36)}-${Math.random().toString(36).slice(2)}`;

let last = { of: '', gesture: '', at: 0 };
/** Milliseconds in which the same key pressed again is one step with before. */
const SOON = 1500;

/** The gesture that a change belongs to: the one before, if a drag of the same thing goes on. */
export function gestureOf(of: string, goesOn: boolean): string {
  const gesture = goesOn && last.of === of ? last.gesture : name();
  last = { of, gesture, at: Date.now() };
  return gesture;
}

/** The gesture of a key press: the one before, if the same thing was moved by key just now. */
export const gestureOfKey = (of: string) => gestureOf(of, Date.now() - last.at < SOON);

/** Makes an operation on a line. Gives what the server answered; nothing if it was refused, which is said, or if a
 * newer message of the same gesture took its place. */
export function act(line: number, op: Op, how: How = {}): Promise<OperationView | null> {
  const gesture = how.gesture ?? name();
  own.add(gesture);
  let answer: OperationView | null = null;
  const made = enqueue(line, {
    send: async (seen) => {
      answer = await api.operate(line, op, gesture, how.anyway ? undefined : seen);
      return answer.line;
    },
    one: how.gesture && `${gesture} ${op.do}`,
    anyway: () => void act(line, op, { anyway: true }),
  });
  return made.then((did) => (did ? answer : null));
}

/** Takes the last step of a line back, or makes it again: after everything that was sent before. */
export async function turn(line: number, way: 'undo' | 'redo') {
  turning++;
  const made = await enqueue(line, { send: (seen) => api[way](line, seen) });
  if (made) forgetRefusal();
  turning--;
}

function enqueue(line: number, what: Omit<Waiting, 'done'>): Promise<boolean> {
  const queue = queues.get(line) ?? { waiting: [], busy: false };
  queues.set(line, queue);
  return new Promise((done) => {
    const before = queue.waiting[queue.waiting.length - 1];
    if (what.one && before?.one === what.one) {
      queue.waiting.pop();
      before.done(false);
    }
    queue.waiting.push({ ...what, done });
    void work(line, queue);
  });
}

async function work(line: number, queue: Queue) {
  if (queue.busy) return;
  queue.busy = true;
  for (let one = queue.waiting.shift(); one; one = queue.waiting.shift()) {
    try {
      const now = await one.send(revisions.get(line));
      revisions.set(line, Math.max(now.revision, revisions.get(line) ?? 0));
      // An answer that is older than what waits would take it back on the page.
      if (queue.waiting.length === 0) show(now);
      one.done(true);
    } catch (error) {
      // What was tried is kept, and can be made on the line as others left it.
      const run = one.anyway;
      if (isMeanwhile(error)) void queries.invalidateQueries({ queryKey: ['line', line] });
      tell(error, isMeanwhile(error) && run ? { does: 'Do it all the same', run } : undefined);
      one.done(false);
    }
  }
  queue.busy = false;
}

/** Does something with a line that answers with the line: an upload, a snapshot. */
export async function answered(answer: Promise<LineView>): Promise<LineView | null> {
  turning++;
  try {
    const line = await answer;
    show(line);
    return line;
  } catch (error) {
    tell(error);
    return null;
  } finally {
    turning--;
  }
}
