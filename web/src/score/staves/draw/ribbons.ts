// The mouth's ribbons: jaw, lips and tongue, as thick as they move far; sealed lips are strokes across.

import type { Curves } from '../../../api/live';
import type { Span } from '../../../state';
import { reader } from '../../line';
import { GUTTER, type Stave, toTime, toX } from '../axis';
import type { Context, Scene } from './scene';

/** Pixels from one point of a ribbon's edge to the next. */
const STEP = 2;

/** One ribbon: thickness is the amount. */
function ribbon(
  c: Context,
  s: Scene,
  amount: (time: number) => number,
  y: number,
  half: number,
  colour: string,
) {
  c.fillStyle = colour;
  c.beginPath();
  const end = Math.min(s.axis.width, s.curves ? toX(s.axis, s.curves.samples / s.curves.hz) : 0);
  const steps = Math.max(0, Math.floor((end - GUTTER) / STEP));
  const halves = new Float32Array(steps + 1);
  for (let i = 0; i <= steps; i++) halves[i] = 0.6 + amount(toTime(s.axis, GUTTER + i * STEP)) * half;
  for (let i = 0; i <= steps; i++) c.lineTo(GUTTER + i * STEP, y - (halves[i] ?? 0));
  for (let i = steps; i >= 0; i--) c.lineTo(GUTTER + i * STEP, y + (halves[i] ?? 0));
  c.closePath();
  c.fill();
}

/** Stretches of time in which the lips are sealed. */
function seals(curves: Curves): Span[] {
  const curve = curves.controls.get('lips_close');
  const jaw = curves.controls.get('jaw_open');
  const out: Span[] = [];
  if (!curve) return out;
  let start = -1;
  for (let i = 0; i <= curve.length; i++) {
    const sealed = i < curve.length && (curve[i] ?? 0) >= 0.98 && (jaw?.[i] ?? 0) > 0.03;
    if (sealed && start < 0) start = i;
    if (!sealed && start >= 0) {
      if ((i - start) / curves.hz < 0.4) out.push({ start: start / curves.hz, end: (i - 1) / curves.hz });
      start = -1;
    }
  }
  return out;
}

export function drawMouthStave(c: Context, s: Scene, stave: Stave) {
  const { curves, paint, axis } = s;
  if (!curves) return;
  const value = reader(curves);
  const third = stave.height / 3;
  const half = third * 0.45;
  const y = (k: number) => stave.top + third * (k + 0.5);
  c.save();
  c.beginPath();
  c.rect(GUTTER, stave.top, axis.width - GUTTER, stave.height);
  c.clip();
  ribbon(c, s, (t) => value('jaw_open', t), y(0), half, paint.jaw);
  const shapes = ['lips_round', 'lips_protrude', 'lips_spread_left', 'lip_lower_tuck'];
  ribbon(c, s, (t) => Math.max(...shapes.map((n) => value(n, t))), y(1), half, paint.lips);
  const tongue = ['tongue_tip_up', 'tongue_out', 'tongue_back_up'];
  ribbon(c, s, (t) => Math.max(...tongue.map((n) => value(n, t))), y(2), half, paint.tongue);
  // Sealed lips are strokes across the lips' ribbon.
  c.fillStyle = paint.lips;
  for (const seal of seals(curves)) {
    const x = toX(axis, (seal.start + seal.end) / 2);
    c.fillRect(x - 1.25, y(1) - half * 1.02, 2.5, half * 2.04);
  }
  c.restore();
}
