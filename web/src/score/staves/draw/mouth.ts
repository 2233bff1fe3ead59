// A small drawn mouth from a few controls: how wide, how high, teeth, tongue. For the lip strip.

import type { Paint } from './paint';

export interface MouthValues {
  jaw: number;
  close: number;
  press: number;
  round: number;
  protrude: number;
  spread: number;
  raise: number;
  drop: number;
  tuck: number;
  tongueOut: number;
  tongueTip: number;
}

/** Draws a mouth around (x, y); `size` is the width of a relaxed one. */
export function drawMouth(
  c: CanvasRenderingContext2D,
  paint: Paint,
  x: number,
  y: number,
  size: number,
  m: MouthValues,
) {
  const narrow = Math.min(1, m.round * 0.62 + m.protrude * 0.2);
  const half = (size / 2) * (1 + 0.2 * m.spread - 0.52 * narrow) * (1 - 0.08 * m.jaw);
  const gap = (1 - m.close) * size * (0.5 * m.jaw + 0.12 * (m.raise + m.drop) + 0.1 * narrow);
  const up = Math.min(gap * 0.3, size * 0.16) + (1 - m.close) * size * 0.05 * m.raise;
  const down = gap - up;
  const upper = size * (0.105 + 0.03 * narrow) * (1 - 0.45 * m.press * m.close);
  const lower = size * (0.13 + 0.04 * narrow) * (1 - 0.45 * m.press * m.close) * (1 - 0.75 * m.tuck);
  const shape = (top: number, bottom: number, w: number) => {
    c.beginPath();
    c.moveTo(x - w, y);
    c.bezierCurveTo(x - w * 0.55, y - top * 1.32, x + w * 0.55, y - top * 1.32, x + w, y);
    c.bezierCurveTo(x + w * 0.55, y + bottom * 1.32, x - w * 0.55, y + bottom * 1.32, x - w, y);
    c.closePath();
  };
  // Lips: upper with a small bow, lower fuller.
  c.fillStyle = paint.lips;
  c.beginPath();
  c.moveTo(x - half, y);
  c.quadraticCurveTo(x - half * 0.5, y - up - upper * 1.45, x - half * 0.13, y - up - upper);
  c.quadraticCurveTo(x, y - up - upper * 0.72, x + half * 0.13, y - up - upper);
  c.quadraticCurveTo(x + half * 0.5, y - up - upper * 1.45, x + half, y);
  c.bezierCurveTo(
    x + half * 0.6,
    y + (down + lower) * 1.3,
    x - half * 0.6,
    y + (down + lower) * 1.3,
    x - half,
    y,
  );
  c.closePath();
  c.fill();
  if (gap > size * 0.018) {
    c.save();
    shape(up, Math.max(down, 0.5), half * 0.9);
    c.fillStyle = paint.inside;
    c.fill();
    c.clip();
    c.fillStyle = '#fbf3e6';
    c.fillRect(
      x - half * 0.62,
      y - up * 1.1 - size * 0.1,
      half * 1.24,
      size * 0.1 + up * 0.25 + size * 0.045,
    );
    if (m.tongueOut > 0.05 || m.tongueTip > 0.3) {
      c.fillStyle = paint.tongue;
      const rise = m.tongueOut > m.tongueTip ? 0.2 * m.tongueOut : 0.55 * m.tongueTip;
      c.beginPath();
      c.ellipse(x, y + down * (1 - rise), half * 0.52, Math.max(size * 0.07, down * 0.55), 0, 0, Math.PI * 2);
      c.fill();
    }
    c.restore();
    if (m.tuck > 0.3) {
      c.fillStyle = '#fbf3e6';
      c.fillRect(x - half * 0.5, y - size * 0.03, half, size * 0.06 * m.tuck);
    }
  } else {
    c.strokeStyle = paint.inside;
    c.lineWidth = 1.2 + m.press;
    c.beginPath();
    c.moveTo(x - half * 0.94, y);
    c.quadraticCurveTo(x, y + size * 0.035, x + half * 0.94, y);
    c.stroke();
  }
}
