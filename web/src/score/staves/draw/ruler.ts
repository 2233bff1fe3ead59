// The ruler: frames over time.

import type { Grid } from '../../../api/client';
import { fonts } from '../../../theme/theme';
import { frameAt, perSecond, timeOf } from '../../time';
import { type Axis, GUTTER, RULER, pixelsPerSecond, toX } from '../axis';
import type { Paint } from './paint';
import { type Print, print } from './print';

/** Frames between labels that leave them room, from steps that divide seconds well. */
function labelStep(framesPerSecond: number, pixels: number): number {
  const whole = Math.round(framesPerSecond);
  const steps = [1, 2, whole / 4, whole / 2, whole, 2 * whole, 5 * whole, 10 * whole, 30 * whole, 60 * whole];
  const fitting = steps.filter((s) => Number.isInteger(s) && (s / framesPerSecond) * pixels >= 64);
  return fitting[0] ?? 60 * whole;
}

export function drawRuler(c: CanvasRenderingContext2D, paint: Paint, axis: Axis, grid: Grid) {
  c.clearRect(0, 0, axis.width, RULER);
  const pixels = pixelsPerSecond(axis);
  const step = labelStep(perSecond(grid), pixels);
  const small = Math.max(1, step % 4 === 0 ? step / 4 : step % 2 === 0 ? step / 2 : step);
  const first = grid.first + Math.ceil((frameAt(grid, axis.view.start) - grid.first) / small) * small;
  const font = `12px ${fonts.sans}`;
  const prints: Print[] = [];
  for (let frame = first; timeOf(grid, frame) <= axis.view.end; frame += small) {
    const x = Math.round(toX(axis, timeOf(grid, frame))) + 0.5;
    if (x < GUTTER) continue;
    const labelled = (frame - grid.first) % step === 0;
    c.strokeStyle = labelled ? paint.ink : paint.edge;
    c.beginPath();
    c.moveTo(x, RULER);
    c.lineTo(x, RULER - (labelled ? 15 : 6));
    c.stroke();
    if (labelled && x < axis.width - 30) {
      prints.push({ text: `${frame}`, font, colour: paint.ink, x: x + 4, y: RULER - 9, align: 'left' });
    }
  }
  print(c, prints);
}
