/** A set with one thing more, or without it if it was there. */
export function toggled<T>(all: ReadonlySet<T>, one: T): ReadonlySet<T> {
  const next = new Set(all);
  if (!next.delete(one)) next.add(one);
  return next;
}
