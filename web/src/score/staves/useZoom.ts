// Moving and zooming the view with the wheel and with two fingers.

import { type RefObject, useEffect, useRef } from 'react';
import { get, set } from '../../state';
import { GUTTER, clampView, toTime, zoomed } from './axis';

/** The wheel moves the view in time, with Ctrl or Alt it zooms about the pointer; over the names it scrolls the staves.
 * React's own handler cannot prevent the page's zoom. */
export function useWheel(host: RefObject<HTMLElement | null>, duration: number) {
  useEffect(() => {
    const element = host.current;
    if (!element) return;
    const wheel = (event: WheelEvent) => {
      const x = event.clientX - element.getBoundingClientRect().left;
      if (x < GUTTER && !event.ctrlKey) return;
      event.preventDefault();
      const { view: v } = get();
      const length = v.end - v.start;
      if (event.ctrlKey || event.altKey) {
        const middle = toTime({ view: v, width: element.clientWidth }, x);
        set({ view: zoomed(v, middle, Math.exp(event.deltaY * 0.002), duration) });
        return;
      }
      const move = ((event.deltaX || event.deltaY) / element.clientWidth) * length;
      set({ view: clampView({ start: v.start + move, end: v.end + move }, duration) });
    };
    element.addEventListener('wheel', wheel, { passive: false });
    return () => element.removeEventListener('wheel', wheel);
  }, [host, duration]);
}

/** Fingers on the staves; two of them pinch and drag the view. */
export function usePinch(width: number, duration: number) {
  const fingers = useRef(new Map<number, number>());
  const placeOf = (event: React.PointerEvent) =>
    event.clientX - event.currentTarget.getBoundingClientRect().left;
  return {
    /** True if this finger only joins another. */
    down: (event: React.PointerEvent) => {
      if (event.pointerType !== 'touch') return false;
      fingers.current.set(event.pointerId, placeOf(event));
      return fingers.current.size > 1;
    },
    /** True if the view was moved by it. */
    move: (event: React.PointerEvent): boolean => {
      if (event.pointerType !== 'touch' || !fingers.current.has(event.pointerId)) return false;
      const before = [...fingers.current.values()];
      fingers.current.set(event.pointerId, placeOf(event));
      const after = [...fingers.current.values()];
      if (before.length !== 2) return false;
      const axis = { view: get().view, width };
      const [a, b] = [toTime(axis, Math.min(...before)), toTime(axis, Math.max(...before))];
      const [left, right] = [Math.min(...after), Math.max(...after)];
      if (right - left < 8) return true;
      // The moments under the fingers stay under them.
      const perPixel = (b - a) / (right - left);
      const start = a - (left - GUTTER) * perPixel;
      const pixels = (axis.view.end - axis.view.start) / (toTime(axis, 1) - toTime(axis, 0));
      set({ view: clampView({ start, end: start + perPixel * pixels }, duration) });
      return true;
    },
    up: (event: React.PointerEvent) => fingers.current.delete(event.pointerId),
  };
}
