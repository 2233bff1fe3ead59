// Sends changes while a hand still moves: one under way at a time, and of those that wait the newest only.

import { type LineView, queries, tell } from './client';

export class Newest<T> {
  private next: T | null = null;
  private busy = false;

  constructor(
    private readonly send: (change: T) => Promise<LineView>,
    /** Called when all is sent, or when it was refused. */
    private readonly done: () => void = () => undefined,
  ) {}

  async put(change: T) {
    this.next = change;
    if (this.busy) return;
    this.busy = true;
    try {
      while (this.next) {
        const one = this.next;
        this.next = null;
        const answer = await this.send(one);
        queries.setQueryData(['line', answer.summary.id], answer);
      }
    } catch (error) {
      this.next = null;
      tell(error);
    } finally {
      this.busy = false;
      this.done();
    }
  }
}
