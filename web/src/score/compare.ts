// Comparing the line with one of its snapshots: on the face, and curve over curve.

import * as live from '../api/live';
import { get, set } from '../state';

/** Compares with a snapshot, or stops comparing. */
export function compareWith(snapshot: { id: number; name: string } | null) {
  live.compare(snapshot?.id ?? null);
  set({ compare: snapshot && { snapshot: snapshot.id, name: snapshot.name, how: 'split' } });
}

/** Goes on to the next way of comparing: side by side, the snapshot alone, the line alone. */
export function switchCompare() {
  const { compare } = get();
  if (!compare) return;
  const next = { split: 'then', then: 'now', now: 'split' } as const;
  set({ compare: { ...compare, how: next[compare.how] } });
}
