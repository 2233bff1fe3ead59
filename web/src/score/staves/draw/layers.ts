// What is drawn of the layers: moods as hills, blinks as shut lids, the head's nod and turn as lines.

import type { LineView } from '../../../api/client';
import { reader } from '../../line';
import { GUTTER, type Stave, toTime, toX } from '../axis';
import type { Context, Scene } from './scene';

/** Moods as hills: how strong, coming and going as they do. */
export function drawMoodStave(c: Context, s: Scene, stave: Stave) {
  const { axis, paint, line } = s;
  const bottom = stave.top + stave.height - 3;
  line.layers.moods.forEach((mood, i) => {
    const strength = line.layers.strengths[i];
    if (!strength) return;
    const { start, end } = strength.over;
    const { values } = strength;
    const place = (k: number) => toX(axis, start + ((end - start) * k) / (values.length - 1));
    c.globalAlpha = 0.34;
    c.fillStyle =
      [paint.tongue, paint.lids, paint.gaze, paint.jaw, paint.lips, paint.head][moodHue(mood.does.mood)] ??
      paint.jaw;
    c.beginPath();
    c.moveTo(place(0), bottom);
    values.forEach((value, k) => c.lineTo(place(k), bottom - (stave.height - 7) * value));
    c.lineTo(place(values.length - 1), bottom);
    c.closePath();
    c.fill();
    c.globalAlpha = 1;
    // Its outline is what is seen of a weak one.
    c.strokeStyle = c.fillStyle;
    c.stroke();
  });
}

/** Which of the page's hues a mood has: warm for pleasant ones, cold for sad ones. */
function moodHue(mood: LineView['layers']['moods'][number]['does']['mood']): number {
  if (typeof mood !== 'string') return 3;
  const hues = {
    happiness: 0,
    tenderness: 0,
    irony: 0,
    sadness: 1,
    worry: 1,
    surprise: 2,
    fear: 2,
    dread: 2,
    anger: 4,
    disgust: 5,
  };
  return hues[mood];
}

/** Blinks as small shut lids under the looks. */
export function drawEyesStave(c: Context, s: Scene, stave: Stave) {
  const { axis, paint, curves } = s;
  if (!curves) return;
  const y = stave.top + stave.height - 13;
  for (const [start, end, whole] of curves.blinks) {
    const x = toX(axis, (start + end) / 2);
    if (x < GUTTER - 8 || x > axis.width + 8) continue;
    const half = Math.max(5, (toX(axis, end) - toX(axis, start)) / 2);
    c.fillStyle = paint.lids;
    c.globalAlpha = whole ? 1 : 0.55;
    c.beginPath();
    c.moveTo(x - half, y);
    c.lineTo(x + half, y);
    c.lineTo(x, y + (whole ? 10 : 6));
    c.closePath();
    c.fill();
    c.globalAlpha = 1;
  }
}

/** The head's nod and turn as two lines about the middle. */
export function drawHeadStave(c: Context, s: Scene, stave: Stave) {
  const { axis, paint, curves } = s;
  if (!curves) return;
  const value = reader(curves);
  const middle = stave.top + stave.height / 2;
  const scale = (stave.height * 0.46) / 14;
  const end = Math.min(axis.width, toX(axis, curves.samples / curves.hz));
  const lines: [string, number, number][] = [
    ['head_yaw', 1, 0.45],
    ['head_pitch', 1.8, 1],
  ];
  for (const [control, width, alpha] of lines) {
    c.strokeStyle = paint.head;
    c.globalAlpha = alpha;
    c.lineWidth = width;
    c.beginPath();
    for (let x = GUTTER; x <= end; x += 1.5) {
      const y = middle + Math.max(-14, Math.min(14, value(control, toTime(axis, x)))) * scale;
      c.lineTo(x, y);
    }
    c.stroke();
    c.globalAlpha = 1;
  }
}
