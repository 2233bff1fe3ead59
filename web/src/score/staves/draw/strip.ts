// The lip strip: a row of small drawn mouths.

import { reader } from '../../line';
import { perSecond } from '../../time';
import { GUTTER, type Stave, pixelsPerSecond, toX } from '../axis';
import { type MouthValues, drawMouth } from './mouth';
import type { Context, Scene } from './scene';

function mouthAt(value: (control: string) => number): MouthValues {
  return {
    jaw: value('jaw_open'),
    close: value('lips_close'),
    press: value('lips_press'),
    round: value('lips_round'),
    protrude: value('lips_protrude'),
    spread: value('lips_spread_left'),
    raise: value('lip_upper_raise_left'),
    drop: value('lip_lower_drop_left'),
    tuck: value('lip_lower_tuck'),
    tongueOut: value('tongue_out'),
    tongueTip: value('tongue_tip_up'),
  };
}

export function drawStrip(c: Context, s: Scene, stave: Stave) {
  if (!s.curves) return;
  const value = reader(s.curves);
  const size = Math.min(stave.height * 0.72, 34);
  // Mouths keep their times while the view moves: one every so many frames.
  const frames = Math.max(1, Math.ceil(((size + 7) / pixelsPerSecond(s.axis)) * perSecond(s.grid)));
  const step = frames / perSecond(s.grid);
  const y = stave.top + stave.height * 0.42;
  const end = Math.min(s.axis.view.end, s.curves.samples / s.curves.hz);
  for (let t = Math.ceil(s.axis.view.start / step) * step; t <= end; t += step) {
    const x = toX(s.axis, t);
    if (x > s.axis.width - size / 2) break;
    if (x < GUTTER + size / 2) continue;
    drawMouth(
      c,
      s.paint,
      x,
      y,
      size,
      mouthAt((control) => value(control, t)),
    );
  }
}
