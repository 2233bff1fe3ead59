// Words on the staves. Setting a font and shaping letters anew for each picture is most of what a picture costs, so a text
// that was drawn once is kept as a picture on a sheet, and its width with it.

import type { Context } from './scene';

/** One text: where it stands (the middle of its height), in which font and colour. */
export interface Print {
  text: string;
  font: string;
  colour: string;
  x: number;
  y: number;
  align?: 'left' | 'center';
}

/** A sheet's size, pixels of the screen: small, because one that was written on is copied when it is read. */
const WIDE = 1024;
const HIGH = 256;
/** Sheets that are kept; when all are full everything begins anew. */
const SHEETS = 24;
/** Room around a text for what hangs over its width, and the height of a line in sizes of its font. */
const EDGE = 4;
const LINE = 1.6;

interface Kept {
  sheet: Context;
  left: number;
  top: number;
  width: number;
  height: number;
}

const widths = new Map<string, number>();
const kept = new Map<string, Kept>();
const sheets: Context[] = [];
let shelf = { left: 0, top: 0, height: 0 };
let scale = 0;

/** Before the fonts are there a text is another one's width and shape, so nothing is kept. */
const fontsAreThere = () => document.fonts.status === 'loaded';

/** How wide a text is, pixels of the page. */
export function widthOf(c: Context, font: string, text: string): number {
  const key = `${font}|${text}`;
  let width = widths.get(key);
  if (width === undefined) {
    if (c.font !== font) c.font = font;
    width = c.measureText(text).width;
    if (widths.size > 20_000) widths.clear();
    if (fontsAreThere()) widths.set(key, width);
  }
  return width;
}

const keyOf = (one: Print) => `${one.font}|${one.colour}|${one.text}`;
const sizeOf = (font: string) => Number(/([\d.]+)px/.exec(font)?.[1] ?? 16);

function nextSheet(): Context | null {
  if (sheets.length >= SHEETS) {
    kept.clear();
    sheets.length = 0;
  }
  const canvas = document.createElement('canvas');
  [canvas.width, canvas.height] = [WIDE, HIGH];
  const sheet = canvas.getContext('2d');
  if (!sheet) return null;
  sheet.scale(scale, scale);
  [sheet.textBaseline, sheet.textAlign] = ['middle', 'left'];
  sheets.push(sheet);
  shelf = { left: 0, top: 0, height: 0 };
  return sheet;
}

/** A place on a sheet. */
function placed(width: number, height: number): Kept | null {
  if (shelf.left + width > WIDE) shelf = { left: 0, top: shelf.top + shelf.height, height: 0 };
  const last = sheets.at(-1);
  const sheet = last && shelf.top + height <= HIGH ? last : nextSheet();
  if (!sheet) return null;
  const at = { sheet, left: shelf.left, top: shelf.top, width, height };
  shelf.left += width;
  shelf.height = Math.max(shelf.height, height);
  return at;
}

function keep(c: Context, one: Print) {
  const width = Math.ceil((widthOf(c, one.font, one.text) + 2 * EDGE) * scale);
  const height = Math.ceil(sizeOf(one.font) * LINE * scale);
  const at = width > WIDE ? null : placed(width, height);
  if (!at) return;
  const { sheet } = at;
  if (sheet.font !== one.font) sheet.font = one.font;
  sheet.fillStyle = one.colour;
  sheet.fillText(one.text, at.left / scale + EDGE, (at.top + height / 2) / scale);
  kept.set(keyOf(one), at);
}

function draw(c: Context, one: Print) {
  c.font = one.font;
  c.fillStyle = one.colour;
  c.textBaseline = 'middle';
  c.textAlign = one.align ?? 'center';
  c.fillText(one.text, one.x, one.y);
}

/** Prints texts, all at once: a sheet that is written on between two readings is copied each time. */
export function print(c: Context, all: Print[]) {
  if (!fontsAreThere()) {
    for (const one of all) draw(c, one);
    return;
  }
  const now = devicePixelRatio || 1;
  if (scale !== now) {
    scale = now;
    kept.clear();
    sheets.length = 0;
  }
  // Those that are new first. Where everything began anew on the way, what is gone is drawn.
  for (const one of all) if (!kept.has(keyOf(one))) keep(c, one);
  for (const one of all) {
    const at = kept.get(keyOf(one));
    if (!at) {
      draw(c, one);
      continue;
    }
    const [width, height] = [at.width / scale, at.height / scale];
    const left = one.align === 'left' ? one.x - EDGE : one.x - width / 2;
    // On whole pixels of the screen, or the letters blur.
    const x = Math.round(left * scale) / scale;
    const y = Math.round((one.y - height / 2) * scale) / scale;
    c.drawImage(at.sheet.canvas, at.left, at.top, at.width, at.height, x, y, width, height);
  }
}
