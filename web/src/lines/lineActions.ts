// What is done with whole lines: deleted, named, copied, put in another order.

import { act } from '../api/act';
import { type LineSummary, queries } from '../api/client';
import { produce } from '../api/production';
import { set } from '../state';

/** Deletes a line; it can be taken back. */
export function deleteLine(id: number) {
  const all = queries.getQueryData<LineSummary[]>(['lines']) ?? [];
  const here = all.findIndex((l) => l.id === id);
  const next = all[here + 1] ?? all[here - 1];
  void produce({ do: 'delete_lines', ids: [id] }).then((made) => made && set({ line: next?.id ?? null }));
}

export function duplicateLine(id: number) {
  void produce({ do: 'duplicate_line', id }).then((made) => {
    const [copy] = made?.made ?? [];
    if (copy !== undefined) set({ line: copy });
  });
}

/** Gives a line a name of its own; nothing takes it away. */
export const nameLine = (id: number, name: string) => void act(id, { do: 'name', name });

/** Puts the line at a place to another one. */
export function orderLines(all: LineSummary[], from: number, to: number) {
  const ids = all.map((l) => l.id);
  const [moved] = ids.splice(from, 1);
  if (moved === undefined) return;
  ids.splice(Math.max(0, Math.min(ids.length, to)), 0, moved);
  void produce({ do: 'order_lines', ids });
}

export function moveLine(all: LineSummary[], id: number, by: number) {
  const here = all.findIndex((l) => l.id === id);
  orderLines(all, here, here + by);
}
