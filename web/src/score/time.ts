// Frames for showing; the server owns the grid, this only names its frames.

import type { Grid } from '../api/client';

/** Seconds that a nudge moves. */
export const NUDGE = 0.005;

export const perSecond = (grid: Grid) => grid.rate.num / grid.rate.den;

/** The frame on screen at a time. */
export const frameAt = (grid: Grid, time: number) => grid.first + Math.floor(time * perSecond(grid) + 1e-6);

/** When a frame starts. */
export const timeOf = (grid: Grid, frame: number) => ((frame - grid.first) * grid.rate.den) / grid.rate.num;

export const rateName = (grid: Grid) => String(Math.round(perSecond(grid) * 1000) / 1000);

/** “frames 1091–1102” of a span. */
export const framesOf = (grid: Grid, span: { start: number; end: number }) =>
  `frames ${frameAt(grid, span.start)}–${frameAt(grid, span.end)}`;
