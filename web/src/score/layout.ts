// Where the staves lie and how time maps to them.

import type { LayerName, Span } from '../state';

/** Width of the names at the left. */
export const GUTTER = 152;
const RIGHT = 14;

export type StaveName = 'ruler' | 'voice' | 'words' | 'sounds' | 'strip' | 'mouth' | LayerName;

export interface Stave {
  name: StaveName;
  top: number;
  height: number;
}

/** Shares of the height that is left beside the ruler, while the mouth is a ribbon and while it is open. */
const SHARES: Record<'closed' | 'open', [StaveName, number][]> = {
  closed: [
    ['voice', 14],
    ['words', 12.5],
    ['sounds', 8.5],
    ['strip', 10],
    ['mouth', 18],
    ['mood', 10],
    ['eyes', 10.5],
    ['head', 8.5],
    ['hand', 8],
  ],
  open: [
    ['voice', 9],
    ['words', 11],
    ['sounds', 9],
    ['mouth', 60],
    ['strip', 11],
  ],
};
export const RULER = 24;

export function stavesOf(height: number, open: boolean): Stave[] {
  const staves: Stave[] = [{ name: 'ruler', top: 0, height: RULER }];
  let top = RULER;
  for (const [name, share] of SHARES[open ? 'open' : 'closed']) {
    const own = ((height - RULER) * share) / 100;
    staves.push({ name, top, height: own });
    top += own;
  }
  return staves;
}

export interface Axis {
  view: Span;
  width: number;
}

const room = (axis: Axis) => axis.width - GUTTER - RIGHT;

export const toX = (axis: Axis, time: number) =>
  GUTTER + ((time - axis.view.start) / (axis.view.end - axis.view.start)) * room(axis);

export const toTime = (axis: Axis, x: number) =>
  axis.view.start + ((x - GUTTER) / room(axis)) * (axis.view.end - axis.view.start);

export const pixelsPerSecond = (axis: Axis) => room(axis) / (axis.view.end - axis.view.start);

/** A view kept inside the line, a little air at both ends. */
export function clampView(view: Span, duration: number): Span {
  const length = Math.min(Math.max(view.end - view.start, 0.25), Math.max(duration, 0.25));
  const start = Math.min(Math.max(view.start, 0), Math.max(duration - length, 0));
  return { start, end: start + length };
}
