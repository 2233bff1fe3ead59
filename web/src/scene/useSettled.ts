// What is dragged is sent when it has come to rest, so that it is one step.

import { useEffect, useRef } from 'react';

/** Milliseconds without a move after which it has come to rest. */
const RESTS = 300;

/** Calls `send` with the last value, once no other came for a while. */
export function useSettled<T>(send: (value: T) => void): (value: T) => void {
  const timer = useRef(0);
  const last = useRef<{ value: T } | null>(null);
  const newest = useRef(send);
  useEffect(() => {
    newest.current = send;
  });
  const flush = () => {
    window.clearTimeout(timer.current);
    const held = last.current;
    last.current = null;
    if (held) newest.current(held.value);
  };
  // What is left in a hurry is sent all the same.
  useEffect(() => flush, []);
  return (value) => {
    last.current = { value };
    window.clearTimeout(timer.current);
    timer.current = window.setTimeout(flush, RESTS);
  };
}
