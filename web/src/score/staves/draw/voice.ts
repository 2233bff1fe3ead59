// The voice: its wave, what of it is not listened to, and the pitch as a fine line.

import type { LineView } from '../../../api/client';
import { GUTTER, type Stave, toTime, toX } from '../axis';
import type { Context, Scene } from './scene';

/** Loudest peak of a recording, found once. */
const LOUDEST = new WeakMap<number[][], number>();

function loudestOf(peaks: number[][]): number {
  let found = LOUDEST.get(peaks);
  if (found === undefined) {
    found = 0.05;
    for (const [low = 0, high = 0] of peaks) found = Math.max(found, high, -low);
    LOUDEST.set(peaks, found);
  }
  return found;
}

export function drawVoice(c: Context, s: Scene, stave: Stave) {
  const { paint, axis, line, voice } = s;
  if (!voice) return;
  const middle = stave.top + stave.height / 2;
  const half = stave.height * 0.44;
  const loudest = loudestOf(voice.peaks);
  c.strokeStyle = paint.rule;
  c.beginPath();
  c.moveTo(GUTTER, middle);
  c.lineTo(axis.width, middle);
  c.stroke();
  c.fillStyle = paint.voice;
  const end = Math.min(axis.width, toX(axis, line.summary.duration));
  for (let x = GUTTER; x < end; x += 2) {
    const from = Math.floor(toTime(axis, x) / voice.peak_step);
    const to = Math.max(from + 1, Math.floor(toTime(axis, x + 2) / voice.peak_step));
    let [low, high] = [0, 0];
    for (let i = from; i < to; i++) {
      const peak = voice.peaks[i];
      if (!peak) continue;
      low = Math.min(low, peak[0] ?? 0);
      high = Math.max(high, peak[1] ?? 0);
    }
    const top = middle - (high / loudest) * half;
    c.fillRect(x, top, 1.25, Math.max(1, ((high - low) / loudest) * half));
  }
  // What is not listened to.
  const only = line.document.listen?.only;
  if (only) {
    c.fillStyle = paint.paperDeep;
    c.globalAlpha = 0.8;
    const [from, to] = [toX(axis, only.start), toX(axis, only.end)];
    if (from > GUTTER) c.fillRect(GUTTER, stave.top, from - GUTTER, stave.height);
    if (to < axis.width) c.fillRect(Math.max(to, GUTTER), stave.top, axis.width, stave.height);
    c.globalAlpha = 1;
    c.fillStyle = paint.inkSoft;
    for (const x of [from, to]) c.fillRect(Math.round(x), stave.top, 1, stave.height);
  }
  // Pitch, in octaves around the voice's own middle.
  const pitch = pitchScale(line);
  if (!pitch) return;
  c.strokeStyle = paint.ink;
  c.lineWidth = 1.4;
  c.beginPath();
  let down = false;
  const first = Math.max(0, Math.floor(axis.view.start / voice.hop) - 1);
  const last = Math.min(voice.pitch_hz.length, Math.ceil(axis.view.end / voice.hop) + 1);
  for (let i = first; i < last; i++) {
    const hz = voice.pitch_hz[i] ?? 0;
    const x = toX(axis, (i + 0.5) * voice.hop);
    if (hz <= 0 || x < GUTTER) {
      down = false;
      continue;
    }
    const y = middle - pitch(hz) * half * 0.86;
    if (down) c.lineTo(x, y);
    else c.moveTo(x, y);
    down = true;
  }
  c.stroke();
  c.lineWidth = 1;
}

/** Maps a pitch to -1..1 around the line's median, one octave being the whole way. */
export function pitchScale(line: LineView): ((hz: number) => number) | null {
  const median = line.phrasing?.pitch_hz ?? 0;
  return median > 0 ? (hz) => Math.max(-1, Math.min(1, Math.log2(hz / median) / 0.75)) : null;
}
