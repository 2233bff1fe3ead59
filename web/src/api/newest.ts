// Sends changes while a hand still moves: one under way at a time. What waits gives way to a change that goes on with
// it, so that of a drag the newest is sent; every other change is sent in its turn.

import { type LineView, queries, tell } from './client';

export class Newest<T> {
  private waiting: { change: T; goesOn: boolean }[] = [];
  private busy = false;

  constructor(
    /** `goesOn`: one step with the change sent before. */
    private readonly send: (change: T, goesOn: boolean) => Promise<LineView>,
    /** Called when all is sent, or when it was refused. */
    private readonly done: () => void = () => undefined,
  ) {}

  async put(change: T, goesOn: boolean) {
    const before = goesOn ? this.waiting.pop() : undefined;
    this.waiting.push({ change, goesOn: before ? before.goesOn : goesOn });
    if (this.busy) return;
    this.busy = true;
    try {
      for (let one = this.waiting.shift(); one; one = this.waiting.shift()) {
        const answer = await this.send(one.change, one.goesOn);
        // An answer that is older than what waits would take it back on the page.
        if (this.waiting.length === 0) queries.setQueryData(['line', answer.summary.id], answer);
      }
    } catch (error) {
      this.waiting = [];
      tell(error);
    } finally {
      this.busy = false;
      this.done();
    }
  }
}
