// The open stave: curves and keys of the mouth on the shared time axis, as plain drawing functions.

import type { ControlName, LineView, Touch, Vocabulary } from '../../api/client';
import { type Curves, comparedCurves } from '../../api/live';
import { type Region, longName, partner } from '../../cast/words';
import type { ChosenKey, Listed, Span } from '../../state';
import { fonts } from '../../theme/theme';
import { shownAt, touchesOf } from '../hand';
import { wordsOf } from '../line';
import { frameAt } from '../time';
import { type Axis, GUTTER, type Stave, toX } from './axis';
import type { Scene } from './draw/scene';

/** A curve on the stave. */
export interface Listing {
  name: ControlName;
  region: Region;
  low: number;
  high: number;
}

/** What the mouth's own stave opens to. */
const MOUTH: Region[] = ['jaw', 'lips', 'tongue', 'cheeks'];

/** What the eyes' stave opens to. */
const EYES: Region[] = ['lids', 'brows', 'gaze'];

/** Degrees of head and eyes that fill the stave. */
const ANGLES = 24;

/** Least change in view, a share of the range, for a curve to count as moving. */
const MOVES = 0.03;

/** Which curves are listed, in the vocabulary's order. */
export function listing(
  line: LineView,
  curves: Curves | null,
  vocabulary: Vocabulary | undefined,
  view: Span,
  listed: Listed,
  text: string,
  chosen: ControlName[],
  set: ControlName[] | undefined,
): Listing[] {
  const touched = new Set(touchesOf(line).map((t) => t.control));
  const moves = (c: Listing) => {
    const curve = curves?.controls.get(c.name);
    if (!curve || !curves) return false;
    const end = Math.min(curve.length, Math.ceil(view.end * curves.hz));
    let [low, high] = [0, 0];
    for (let i = Math.max(0, Math.floor(view.start * curves.hz)); i < end; i += 2) {
      low = Math.min(low, curve[i] ?? 0);
      high = Math.max(high, curve[i] ?? 0);
    }
    return (high - low) / c.high > MOVES;
  };
  /** The right side is listed where hands made it another than the left, and where it is asked for. */
  const twin = (c: Listing) => {
    const left = c.name.endsWith('_right') ? partner(c.name) : null;
    return left !== null && !touched.has(c.name) && !touched.has(left);
  };
  const wanted = (c: Listing) => {
    const words = longName(c.name);
    if (text && !words.includes(text.toLowerCase())) return false;
    if (chosen.includes(c.name)) return true;
    if (listed === 'all' || text) return true;
    if (twin(c)) return false;
    if (listed === 'touched') return touched.has(c.name);
    if (listed === 'face') return touched.has(c.name) || moves(c);
    if (listed === 'eyes') return EYES.includes(c.region);
    if (listed === 'moving') return MOUTH.includes(c.region) && (touched.has(c.name) || moves(c));
    if (listed.startsWith('set ')) return set?.includes(c.name) ?? false;
    return c.region === listed;
  };
  // Angles are drawn larger than their whole range.
  const drawn = (c: Listing) => (c.region === 'head' || c.region === 'gaze' ? { ...c, high: ANGLES } : c);
  return (vocabulary?.controls ?? []).filter(wanted).map(drawn);
}

/** The values at the bottom and top of the stave, as shares of a control's highest. */
export function domain(all: Listing[], curves: Curves | null): { bottom: number; top: number } {
  let lowest = 0;
  for (const c of all) {
    const curve = c.low < 0 ? curves?.controls.get(c.name) : undefined;
    for (const value of curve ?? []) lowest = Math.min(lowest, value / c.high);
  }
  return { bottom: Math.min(-0.05, lowest - 0.05), top: 1.08 };
}

export interface Scale {
  stave: Stave;
  bottom: number;
  top: number;
}

export const toY = (scale: Scale, share: number) =>
  scale.stave.top + scale.stave.height * (1 - (share - scale.bottom) / (scale.top - scale.bottom));

export const toShare = (scale: Scale, y: number) =>
  scale.bottom + (1 - (y - scale.stave.top) / scale.stave.height) * (scale.top - scale.bottom);

/** A curve as one path: point by point, or from lowest to highest where many samples fall on a pixel. */
function path(
  c: CanvasRenderingContext2D,
  axis: Axis,
  scale: Scale,
  curve: Float32Array,
  hz: number,
  high: number,
) {
  const perPixel = ((axis.view.end - axis.view.start) / Math.max(1, axis.width - GUTTER)) * hz;
  const first = Math.max(0, Math.floor(axis.view.start * hz) - 1);
  const last = Math.min(curve.length - 1, Math.ceil(axis.view.end * hz) + 1);
  c.beginPath();
  if (perPixel <= 1.5) {
    for (let i = first; i <= last; i++) c.lineTo(toX(axis, i / hz), toY(scale, (curve[i] ?? 0) / high));
  } else {
    const step = Math.ceil(perPixel);
    for (let i = first; i <= last; i += step) {
      let [low, top] = [Infinity, -Infinity];
      for (let k = i; k < Math.min(i + step, last + 1); k++) {
        const value = curve[k] ?? 0;
        low = Math.min(low, value);
        top = Math.max(top, value);
      }
      const x = toX(axis, i / hz);
      c.lineTo(x, toY(scale, low / high));
      c.lineTo(x, toY(scale, top / high));
    }
  }
  c.stroke();
}

export interface ShownKey extends ChosenKey {
  x: number;
  y: number;
  time: number;
  control: ControlName;
}

/** Where the keys of the listed curves lie. */
export function shownKeys(line: LineView, axis: Axis, scale: Scale, all: Listing[]): ShownKey[] {
  const out: ShownKey[] = [];
  for (const touch of touchesOf(line)) {
    const own = all.find((c) => c.name === touch.control);
    if (!own) continue;
    touch.keys.forEach((key, i) => {
      const y = toY(scale, shownAt(touch, key) / own.high);
      out.push({
        touch: touch.id,
        key: i,
        x: toX(axis, key.time),
        y,
        time: key.time,
        control: touch.control,
      });
    });
  }
  return out;
}

export const isChosen = (keys: ChosenKey[], key: ChosenKey) =>
  keys.some((k) => k.touch === key.touch && k.key === key.key);

/** Draws curves and keys; `all` are the listed ones, `worked` those that are worked on. */
export function drawOpenStave(
  c: CanvasRenderingContext2D,
  s: Scene,
  scale: Scale,
  all: Listing[],
  worked: ControlName[],
  keys: ChosenKey[],
) {
  const { paint, axis, curves } = s;
  const { stave } = scale;
  c.fillStyle = paint.card;
  c.fillRect(GUTTER, stave.top, axis.width - GUTTER, stave.height);
  // The words that are worked in.
  for (const word of wordsOf(s.line)) {
    if (!s.words.has(word.id)) continue;
    c.fillStyle = paint.accentSoft;
    c.globalAlpha = 0.45;
    c.fillRect(
      toX(axis, word.span.start),
      stave.top,
      toX(axis, word.span.end) - toX(axis, word.span.start),
      stave.height,
    );
    c.globalAlpha = 1;
  }
  c.setLineDash([2, 4]);
  c.font = `12px ${fonts.sans}`;
  c.textAlign = 'right';
  c.textBaseline = 'alphabetic';
  const angles = all.length > 0 && all.every((one) => one.high === ANGLES);
  for (const share of [0, 0.25, 0.5, 0.75, 1]) {
    const y = Math.round(toY(scale, share)) + 0.5;
    c.strokeStyle = paint.rule;
    c.beginPath();
    c.moveTo(GUTTER, y);
    c.lineTo(axis.width, y);
    c.stroke();
    if (share % 0.5 === 0) {
      c.fillStyle = paint.inkSoft;
      c.fillText(angles ? `${share * ANGLES}°` : share.toFixed(1), axis.width - 3, y - 2);
    }
  }
  c.setLineDash([]);
  if (!curves) return;
  c.lineJoin = 'round';
  const other = comparedCurves();
  const active = (name: ControlName) => worked.includes(name);
  const ordered = [...all].sort((a, b) => Number(active(a.name)) - Number(active(b.name)));
  for (const one of ordered) {
    const colour = paint[one.region];
    const own = active(one.name);
    const before = other?.controls.get(one.name);
    if (before && other && (own || worked.length === 0)) {
      c.setLineDash([5, 4]);
      c.lineWidth = 1.2;
      c.strokeStyle = paint.ink;
      path(c, axis, scale, before, other.hz, one.high);
      c.setLineDash([]);
    }
    c.strokeStyle = colour;
    const plain = curves.untouched.get(one.name);
    if (plain) {
      c.globalAlpha = 0.9;
      c.setLineDash([1, 3]);
      c.lineWidth = 1;
      path(c, axis, scale, plain, curves.hz, one.high);
      c.setLineDash([]);
    }
    const curve = curves.controls.get(one.name);
    // Those that are not worked on are thin, not pale: each must be told apart from the paper.
    c.globalAlpha = 1;
    c.lineWidth = own ? 2.8 : worked.length > 0 ? 1 : plain ? 2 : 1.4;
    if (curve) path(c, axis, scale, curve, curves.hz, one.high);
    c.globalAlpha = 1;
  }
  c.lineWidth = 1;
  for (const key of shownKeys(s.line, axis, scale, all)) {
    const chosen = isChosen(keys, key);
    const region = all.find((one) => one.name === key.control)?.region ?? 'lips';
    c.beginPath();
    c.arc(key.x, key.y, chosen ? 6 : 4.5, 0, 2 * Math.PI);
    c.fillStyle = chosen ? paint[region] : paint.card;
    c.fill();
    c.lineWidth = 1.8;
    c.strokeStyle = chosen ? paint.ink : paint[region];
    c.stroke();
    c.lineWidth = 1;
  }
  labelOne(c, s, scale, all, keys);
}

/** Says of a single chosen key where it is, and shows its tangents. */
function labelOne(c: CanvasRenderingContext2D, s: Scene, scale: Scale, all: Listing[], keys: ChosenKey[]) {
  const { paint, axis } = s;
  const [only] = keys;
  if (!only || keys.length !== 1) return;
  const key = shownKeys(s.line, axis, scale, all).find((k) => isChosen(keys, k));
  const touch = touchesOf(s.line).find((t) => t.id === only.touch);
  const own = touch && touch.keys[only.key];
  const listed = all.find((one) => one.name === touch?.control);
  if (!key || !own || !touch || !listed) return;
  for (const handle of handles(touch, only.key, axis, scale, listed)) {
    c.strokeStyle = paint.ink;
    c.beginPath();
    c.moveTo(key.x, key.y);
    c.lineTo(handle.x, handle.y);
    c.stroke();
    c.beginPath();
    c.arc(handle.x, handle.y, 3.5, 0, 2 * Math.PI);
    c.fillStyle = paint.card;
    c.fill();
    c.stroke();
  }
  const text = `frame ${frameAt(s.grid, key.time + 1e-4)} · ${shownAt(touch, own).toFixed(2)} · ${own.shape?.kind ?? 'smooth'}`;
  c.font = `12px ${fonts.sans}`;
  c.textBaseline = 'alphabetic';
  const width = c.measureText(text).width;
  const right = key.x + 14 + width > axis.width;
  const x = right ? key.x - 12 - width : key.x + 12;
  const y = key.y - 12 < scale.stave.top + 14 ? key.y + 22 : key.y - 10;
  c.textAlign = 'left';
  c.fillStyle = paint.card;
  c.globalAlpha = 0.85;
  c.fillRect(x - 3, y - 12, width + 6, 16);
  c.globalAlpha = 1;
  c.fillStyle = paint.ink;
  c.fillText(text, x, y);
}

/** The ends of a free key's tangents: a third of the way to its neighbours. */
export function handles(touch: Touch, index: number, axis: Axis, scale: Scale, own: Listing) {
  const keys = touch.keys;
  const key = keys[index];
  if (key?.shape?.kind !== 'free') return [];
  const shape = key.shape;
  const base = shownAt(touch, key);
  const weight = touch.laid === 'add' ? touch.amount : 1;
  const end = (side: 'before' | 'after') => {
    const other = keys[side === 'before' ? index - 1 : index + 1];
    if (!other) return null;
    const time = key.time + (other.time - key.time) / 3;
    return { side, x: toX(axis, time), y: toY(scale, (base + weight * shape[side]) / own.high) };
  };
  return [end('before'), end('after')].filter((h) => h !== null);
}

/** The listed curve nearest to a place, within a few pixels. */
export function curveAt(
  curves: Curves,
  axis: Axis,
  scale: Scale,
  all: Listing[],
  x: number,
  y: number,
  time: number,
) {
  let best: ControlName | null = null;
  let nearest = 8;
  const i = Math.round(time * curves.hz);
  for (const one of all) {
    const curve = curves.controls.get(one.name);
    if (!curve) continue;
    // Steep curves are near over some samples.
    for (let k = Math.max(0, i - 2); k <= i + 2; k++) {
      const far = Math.hypot(toX(axis, k / curves.hz) - x, toY(scale, (curve[k] ?? 0) / one.high) - y);
      if (far < nearest) {
        nearest = far;
        best = one.name;
      }
    }
  }
  return best;
}
