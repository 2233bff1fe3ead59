// Changes on their way to the server: of one thing, a line or a wiring, one is under way at a time, each made on the
// state that the page saw; of a drag the newest waits.

import { tell } from '../widgets/tell';
import { isMeanwhile } from './client';

/** What the server answered: a state of the thing, and how it is shown. */
export interface Answer {
  revision: number;
  show: () => void;
}

interface Waiting {
  /** Sends it as made on a revision. */
  send: (made: number | undefined) => Promise<Answer>;
  /** What it is one more message of: a newer one of the same takes its place while it waits. */
  one?: string;
  /** Makes it on the thing as others left it. */
  anyway?: () => void;
  /** Fetches the thing anew, because others changed it. */
  refresh: () => void;
  done: (made: boolean) => void;
}

interface Queue {
  waiting: Waiting[];
  busy: boolean;
}

const queues = new Map<string, Queue>();

/** The newest revision of each thing that the page knows. */
const revisions = new Map<string, number>();
/** Names of gestures that were made here: their events are our own. */
const own = new Set<string>();
/** How many of our own changes are under way whose events bear no name. */
let nameless = 0;

/** Notes a state of a thing; false if a newer one is known. */
export function isNewest(thing: string, revision: number): boolean {
  if (revision < (revisions.get(thing) ?? 0)) return false;
  revisions.set(thing, revision);
  return true;
}

/** Whether a change that the server tells of was made on this page. */
export const isOwn = (gesture: string | null) => (gesture === null ? nameless > 0 : own.has(gesture));

/** Whether something of a thing is still to be sent or answered. */
export const isUnderWay = (thing: string) => {
  const queue = queues.get(thing);
  return queue !== undefined && (queue.busy || queue.waiting.length > 0);
};

/** A name for a gesture that is made here. */
export function ownGesture(): string {
  const gesture = `${Date.now().toString(36)}-${Math.random().toString(36).slice(2)}`;
  own.add(gesture);
  return gesture;
}

/** Does something whose events bear no name. */
export async function withoutName<T>(work: () => Promise<T>): Promise<T> {
  nameless++;
  try {
    return await work();
  } finally {
    nameless--;
  }
}

/** Sends a change of a thing after everything that was sent before; whether it was made. */
export function enqueue(thing: string, what: Omit<Waiting, 'done'>): Promise<boolean> {
  const queue = queues.get(thing) ?? { waiting: [], busy: false };
  queues.set(thing, queue);
  return new Promise((done) => {
    const before = queue.waiting[queue.waiting.length - 1];
    if (what.one && before?.one === what.one) {
      queue.waiting.pop();
      before.done(false);
    }
    queue.waiting.push({ ...what, done });
    void work(thing, queue);
  });
}

async function work(thing: string, queue: Queue) {
  if (queue.busy) return;
  queue.busy = true;
  for (let one = queue.waiting.shift(); one; one = queue.waiting.shift()) {
    try {
      const now = await one.send(revisions.get(thing));
      // An answer that is older than what waits would take it back on the page.
      if (isNewest(thing, now.revision) && queue.waiting.length === 0) now.show();
      one.done(true);
    } catch (error) {
      // What was tried is kept, and can be made on the thing as others left it.
      const run = one.anyway;
      if (isMeanwhile(error)) one.refresh();
      if (isMeanwhile(error) && run)
        tell(error, { does: 'Do it all the same', run }, 'Somebody else was there');
      else tell(error);
      one.done(false);
    }
  }
  queue.busy = false;
}
