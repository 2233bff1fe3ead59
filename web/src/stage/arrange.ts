// How the stage is divided: the face, a second view from the side, and the mouth's close-up in a corner.

import type { Corner } from '../settings';

/** A part of the canvas, as shares from its upper left corner. */
export interface Frame {
  x: number;
  y: number;
  width: number;
  height: number;
}

export interface Arrangement {
  main: Frame;
  side: Frame | null;
  closeUp: Frame | null;
  /** Where the face's middle lies in its view, as a share of its width. */
  middle: number;
}

export interface Wish {
  closeUp: 'small' | 'large' | 'off';
  corner: Corner;
  two: boolean;
}

/** Shares of the canvas that the close-up takes. */
const SIZES = { small: [0.3, 0.41], large: [0.46, 0.62] } as const;
/** Air around it, and under it where the tools of the stage lie, pixels. */
const AIR = 10;
const UNDER = 44;
/** How far the face's middle gives way to a close-up beside it. */
const WAY = { small: 0.11, large: 0.19 } as const;

export function arrange(wish: Wish, width: number, height: number): Arrangement {
  const whole = { x: 0, y: 0, width: 1, height: 1 };
  const [ax, ay, under] = [AIR / Math.max(width, 1), AIR / Math.max(height, 1), UNDER / Math.max(height, 1)];
  const right = wish.corner.endsWith('right');
  const low = wish.corner.startsWith('bottom');
  if (wish.closeUp === 'off') {
    if (!wish.two) return { main: whole, side: null, closeUp: null, middle: 0.5 };
    return {
      main: { ...whole, width: 0.5 },
      side: { ...whole, x: 0.5, width: 0.5 },
      closeUp: null,
      middle: 0.5,
    };
  }
  const [wide, high] = SIZES[wish.closeUp];
  if (wish.two) {
    // Three beside each other: none covers another.
    const each = (1 - wide) / 2;
    const from = right ? 0 : wide;
    const main = { ...whole, x: from, width: each };
    const column = right ? 1 - wide : 0;
    const y = low ? 1 - high - under : ay;
    const closeUp = { x: column + ax / 2, y, width: wide - ax, height: high };
    return { main, side: { ...main, x: from + each }, closeUp, middle: 0.5 };
  }
  const closeUp = {
    x: right ? 1 - wide - ax : ax,
    y: low ? 1 - high - under : ay,
    width: wide,
    height: high,
  };
  const way = WAY[wish.closeUp];
  return { main: whole, side: null, closeUp, middle: right ? 0.5 - way : 0.5 + way };
}

/** Whether a place lies in a frame; then where in it. */
export function inside(frame: Frame | null, x: number, y: number): [number, number] | null {
  if (!frame) return null;
  const [u, v] = [(x - frame.x) / frame.width, (y - frame.y) / frame.height];
  return u >= 0 && u <= 1 && v >= 0 && v <= 1 ? [u, v] : null;
}
