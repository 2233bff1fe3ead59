// Where the staves lie and how time maps to them.

import { type LayerName, type Span, get } from '../../state';

/** Width of the names at the left. */
export const GUTTER = 158;
const RIGHT = 14;
export const RULER = 30;

export type StaveName = 'voice' | 'words' | 'sounds' | 'strip' | 'mouth' | LayerName;

export interface Stave {
  name: StaveName;
  /** From the top of the staves, under the ruler. */
  top: number;
  height: number;
}

/** Shares of the height while the mouth is a ribbon, and the least that each stave needs, pixels. */
const CLOSED: [StaveName, number, number][] = [
  ['voice', 13, 30],
  ['words', 12.5, 40],
  ['sounds', 8.5, 26],
  ['strip', 9.5, 28],
  ['mouth', 17, 48],
  ['mood', 10.5, 32],
  ['eyes', 11, 36],
  ['head', 9, 26],
  ['hand', 9, 26],
];

/** Heights while the curves are open; these take what is left in view, those below are scrolled to. */
const OPEN: [StaveName, number][] = [
  ['voice', 28],
  ['words', 38],
  ['sounds', 27],
  ['mouth', 0],
  ['strip', 26],
  ['mood', 36],
  ['eyes', 38],
  ['head', 30],
  ['hand', 30],
];
/** Least height of the open curves: twelve names and the head of their list, pixels. */
export const LEAST_OPEN = 268;

/** The staves from top to bottom; `own` are heights that somebody chose. */
export function stavesOf(height: number, open: boolean, own: Partial<Record<StaveName, number>>): Stave[] {
  const fixed = (name: StaveName) => (open && name === 'mouth' ? undefined : own[name]);
  const sizes = open ? openHeights(height, fixed) : closedHeights(height, fixed);
  let top = 0;
  return sizes.map(([name, size]) => {
    const stave = { name, top, height: Math.round(size) };
    top += stave.height;
    return stave;
  });
}

type Fixed = (name: StaveName) => number | undefined;

function closedHeights(height: number, fixed: Fixed): [StaveName, number][] {
  const free = CLOSED.filter(([name]) => fixed(name) === undefined);
  const taken = CLOSED.reduce((sum, [name]) => sum + (fixed(name) ?? 0), 0);
  const shares = free.reduce((sum, [, share]) => sum + share, 0);
  const left = height - taken;
  return CLOSED.map(([name, share, least]) => [
    name,
    fixed(name) ?? Math.max(least, Math.floor((left * share) / shares)),
  ]);
}

function openHeights(height: number, fixed: Fixed): [StaveName, number][] {
  const above = OPEN.slice(0, 3).reduce((sum, [name, size]) => sum + (fixed(name) ?? size), 0);
  return OPEN.map(([name, size]) => [
    name,
    name === 'mouth' ? Math.max(LEAST_OPEN, height - above) : (fixed(name) ?? size),
  ]);
}

export interface Axis {
  view: Span;
  width: number;
}

/** The axis as it is now: for hands, who need not follow every change of the view. */
export const axisNow = (width: number): Axis => ({ view: get().view, width });

/** Where something lies on the axis, for the class `along`, or `at`. */
export const lying = (start: number, end = start) =>
  ({ '--start': start, '--end': end }) as React.CSSProperties;

const room = (axis: Axis) => axis.width - GUTTER - RIGHT;

export const toX = (axis: Axis, time: number) =>
  GUTTER + ((time - axis.view.start) / (axis.view.end - axis.view.start)) * room(axis);

export const toTime = (axis: Axis, x: number) =>
  axis.view.start + ((x - GUTTER) / room(axis)) * (axis.view.end - axis.view.start);

export const pixelsPerSecond = (axis: Axis) => room(axis) / (axis.view.end - axis.view.start);

/** Seconds that so many pixels are now. */
export const secondsNow = (pixels: number, width: number) => pixels / pixelsPerSecond(axisNow(width));

/** A view kept inside the line, a little air at both ends. */
export function clampView(view: Span, duration: number): Span {
  const length = Math.min(Math.max(view.end - view.start, 0.25), Math.max(duration, 0.25));
  const start = Math.min(Math.max(view.start, 0), Math.max(duration - length, 0));
  return { start, end: start + length };
}

/** A view zoomed about a moment that stays where it is. */
export function zoomed(view: Span, about: number, factor: number, duration: number): Span {
  return clampView(
    { start: about - (about - view.start) * factor, end: about + (view.end - about) * factor },
    duration,
  );
}
