// The staves as plain drawing functions: context, where, what. No state, no React.

import {
  type Grid,
  type LineView,
  type Sound,
  type Voice,
  type Word,
  ipaOf,
  isDoubtful,
} from '../api/client';
import type { Curves } from '../api/live';
import type { Span } from '../state';
import { fonts } from '../theme';
import { type Axis, GUTTER, RULER, type Stave, pixelsPerSecond, toTime, toX } from './layout';
import { type MouthValues, drawMouth } from './mouth';
import type { Paint } from './paint';
import { frameAt, perSecond, timeOf } from './time';

export interface Scene {
  paint: Paint;
  axis: Axis;
  grid: Grid;
  line: LineView;
  /** What is drawn of the recording; none until it has come. */
  voice: Voice | null;
  curves: Curves | null;
  selected: { word: number | null; sound: number | null };
  loop: Span | null;
  ipa: boolean;
}

type Context = CanvasRenderingContext2D;

/** Frames between labels that leave them room, from steps that divide seconds well. */
function labelStep(framesPerSecond: number, pixels: number): number {
  const whole = Math.round(framesPerSecond);
  const steps = [1, 2, whole / 4, whole / 2, whole, 2 * whole, 5 * whole, 10 * whole, 30 * whole, 60 * whole];
  const fitting = steps.filter((s) => Number.isInteger(s) && (s / framesPerSecond) * pixels >= 64);
  return fitting[0] ?? 60 * whole;
}

export function drawRuler(c: Context, s: Scene, stave: Stave) {
  const { paint, axis, grid } = s;
  c.fillStyle = paint.paperDeep;
  c.fillRect(0, stave.top, axis.width, stave.height);
  if (s.loop) {
    c.fillStyle = paint.accentSoft;
    c.fillRect(
      toX(axis, s.loop.start),
      stave.top,
      toX(axis, s.loop.end) - toX(axis, s.loop.start),
      stave.height,
    );
  }
  const pixels = pixelsPerSecond(axis);
  const step = labelStep(perSecond(grid), pixels);
  const small = Math.max(1, step % 4 === 0 ? step / 4 : step % 2 === 0 ? step / 2 : step);
  const first = grid.first + Math.ceil((frameAt(grid, axis.view.start) - grid.first) / small) * small;
  c.font = `12px ${fonts.sans}`;
  c.textBaseline = 'middle';
  c.textAlign = 'left';
  for (let frame = first; timeOf(grid, frame) <= axis.view.end; frame += small) {
    const x = Math.round(toX(axis, timeOf(grid, frame))) + 0.5;
    if (x < GUTTER) continue;
    const labelled = (frame - grid.first) % step === 0;
    c.strokeStyle = labelled ? paint.ink : paint.rule;
    c.beginPath();
    c.moveTo(x, stave.top + stave.height);
    c.lineTo(x, stave.top + stave.height - (labelled ? 13 : 6));
    c.stroke();
    if (labelled && x < axis.width - 30) {
      c.fillStyle = paint.ink;
      c.fillText(`${frame}`, x + 4, stave.top + stave.height / 2 - 1);
    }
  }
}

export function drawVoice(c: Context, s: Scene, stave: Stave) {
  const { paint, axis, line, voice } = s;
  if (!voice) return;
  const middle = stave.top + stave.height / 2;
  const half = stave.height * 0.44;
  let loudest = 0.05;
  for (const [low, high] of voice.peaks as [number, number][]) loudest = Math.max(loudest, high, -low);
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
function pitchScale(line: LineView): ((hz: number) => number) | null {
  const median = line.phrasing?.pitch_hz ?? 0;
  return median > 0 ? (hz) => Math.max(-1, Math.min(1, Math.log2(hz / median) / 0.75)) : null;
}

export const wordsOf = (line: LineView): Word[] => line.document.timing?.words ?? [];
export const soundsOf = (line: LineView): Sound[] => line.document.timing?.sounds ?? [];

/** The sounds of the word at a place. */
export const soundsAt = (line: LineView, place: number) => soundsOf(line).filter((s) => s.word === place);

/** The word or the sound of a number. */
export const wordOf = (line: LineView, id: number | null) => wordsOf(line).find((w) => w.id === id);
export const soundOf = (line: LineView, id: number | null) => soundsOf(line).find((s) => s.id === id);

/** The chosen word and doubtful ones stand on paper of their own, under everything else. */
function drawWordPapers(c: Context, s: Scene, stave: Stave) {
  const { paint, axis } = s;
  wordsOf(s.line).forEach((word) => {
    const [left, right] = [toX(axis, word.span.start), toX(axis, word.span.end)];
    const chosen = s.selected.word === word.id;
    if (right < GUTTER || left > axis.width || !(chosen || isDoubtful(word))) return;
    c.fillStyle = chosen ? paint.accentSoft : paint.doubtPaper;
    c.beginPath();
    c.roundRect(left, stave.top + 3, Math.max(right - left, 2), stave.height - 6, 4);
    c.fill();
  });
}

/** Whether somebody should listen to a sound; those of pinned words were listened to. */
export const soundIsDoubtful = (line: LineView, sound: Sound) =>
  sound.phone !== 'SIL' &&
  isDoubtful({ confidence: sound.confidence, pinned: wordsOf(line)[sound.word ?? -1]?.pinned });

export function drawWords(c: Context, s: Scene, stave: Stave) {
  const { paint, axis, line } = s;
  const pitch = pitchScale(line);
  const middle = stave.top + stave.height / 2;
  const swing = stave.height * 0.2;
  c.textBaseline = 'middle';
  c.textAlign = 'center';
  const rows: number[] = [-Infinity, -Infinity];
  drawWordPapers(c, s, stave);
  drawPhrases(c, s, stave);
  drawNoises(c, s, stave);
  c.font = `16px ${fonts.serif}`;
  wordsOf(line).forEach((word, i) => {
    const left = toX(axis, word.span.start);
    const right = toX(axis, word.span.end);
    if (right < GUTTER - 80 || left > axis.width + 80) return;
    const chosen = s.selected.word === word.id;
    const doubtful = isDoubtful(word);
    c.strokeStyle = paint.rule;
    c.lineWidth = 1;
    c.beginPath();
    c.moveTo(Math.round(left) + 0.5, stave.top + stave.height - 8);
    c.lineTo(Math.round(left) + 0.5, stave.top + stave.height);
    c.stroke();
    const text = word.text + (word.after ?? '');
    // Words that stand out in the voice stand out in print.
    const stress = line.phrasing?.stress[i] ?? 0.5;
    const weight = chosen ? 700 : Math.round(400 + 300 * stress);
    // As large as the word's time allows, within what is readable.
    c.font = `${weight} 16px ${fonts.serif}`;
    const size = Math.max(12, Math.min(17, (16 * (right - left + 6)) / c.measureText(text).width));
    c.font = `${weight} ${size}px ${fonts.serif}`;
    const width = c.measureText(text).width;
    const x = (left + right) / 2;
    let y = middle - (pitch && word.pitch ? pitch(word.pitch) * swing : 0);
    // A word too wide for its time steps out of its neighbour's way; where there is no room at all only its mark
    // stays.
    const row = rows.findIndex((end) => x - width / 2 >= end + 3);
    if (row < 0) return;
    if (row === 1) y = Math.min(y + 13, stave.top + stave.height - 8);
    rows[row] = x + width / 2;
    c.fillStyle = chosen ? paint.accent : doubtful ? paint.doubt : paint.ink;
    c.fillText(text, x, y);
    if (word.pinned) drawPin(c, paint, x - width / 2 - 5, y - size * 0.3);
    if (doubtful) {
      c.setLineDash([3, 2]);
      c.strokeStyle = paint.doubt;
      c.beginPath();
      c.moveTo(x - width / 2, y + size * 0.62);
      c.lineTo(x + width / 2, y + size * 0.62);
      c.stroke();
      c.setLineDash([]);
    }
  });
}

/** A pin: what it stands by stays where it is. */
function drawPin(c: Context, paint: Paint, x: number, y: number) {
  c.fillStyle = paint.ink;
  c.beginPath();
  c.arc(x, y, 2.6, 0, 2 * Math.PI);
  c.fill();
  c.fillRect(x - 0.5, y, 1, 8);
}

/** Phrases as slurs over their words, each with the way its pitch ends, and breath marks between them. */
function drawPhrases(c: Context, s: Scene, stave: Stave) {
  const { paint, axis, line } = s;
  const top = stave.top + 5;
  c.strokeStyle = paint.inkSoft;
  c.lineWidth = 1;
  for (const phrase of line.phrasing?.phrases ?? []) {
    const left = toX(axis, phrase.span.start) + 2;
    const right = toX(axis, phrase.span.end) - 8;
    if (right - left < 14 || right < GUTTER || left > axis.width) continue;
    const bend = Math.min(6, (right - left) / 8);
    c.beginPath();
    c.moveTo(left, top + bend);
    c.bezierCurveTo(left + bend, top, right - bend, top, right, top + bend);
    const tip = phrase.ending === 'rises' ? -4 : phrase.ending === 'falls' ? 5 : 0;
    c.lineTo(right + 6, top + bend + tip);
    c.stroke();
  }
  c.fillStyle = paint.ink;
  c.font = `600 22px ${fonts.serif}`;
  for (const breath of line.phrasing?.breaths ?? []) {
    const x = toX(axis, (breath.start + breath.end) / 2);
    if (x > GUTTER + 4 && x < axis.width) c.fillText(',', x, top + 6);
  }
}

/** What is heard and is no word. */
function drawNoises(c: Context, s: Scene, stave: Stave) {
  const { paint, axis, line } = s;
  for (const noise of line.document.timing?.noises ?? []) {
    const [left, right] = [toX(axis, noise.span.start), toX(axis, noise.span.end)];
    if (right < GUTTER || left > axis.width) continue;
    c.strokeStyle = paint.voice;
    c.beginPath();
    c.roundRect(left + 0.5, stave.top + 14, Math.max(right - left - 1, 2), stave.height - 24, 4);
    c.stroke();
    c.font = `italic 12px ${fonts.serif}`;
    if (c.measureText(noise.text).width > right - left - 4) continue;
    c.fillStyle = paint.inkSoft;
    c.fillText(noise.text, (left + right) / 2, stave.top + 2 + stave.height / 2);
  }
}

/** Narrower sounds than this on average fold into their words. */
const FOLDS = 9;

/** Words as one block each where their sounds are too narrow to be told apart. */
function foldedWords(s: Scene): Set<number> {
  const folded = new Set<number>();
  const counts = new Map<number, number>();
  for (const sound of soundsOf(s.line)) {
    if (sound.word != null) counts.set(sound.word, (counts.get(sound.word) ?? 0) + 1);
  }
  wordsOf(s.line).forEach((word, i) => {
    const width = toX(s.axis, word.span.end) - toX(s.axis, word.span.start);
    if (width / (counts.get(i) ?? 1) < FOLDS) folded.add(i);
  });
  return folded;
}

function drawFolded(c: Context, s: Scene, stave: Stave, folded: Set<number>) {
  const { paint, axis } = s;
  const top = stave.top + 4;
  const height = stave.height - 8;
  for (const i of folded) {
    const word = wordsOf(s.line)[i];
    if (!word) continue;
    const [left, right] = [toX(axis, word.span.start), toX(axis, word.span.end)];
    if (right < GUTTER || left > axis.width) continue;
    const doubtful = isDoubtful(word);
    c.beginPath();
    c.roundRect(left + 0.5, top, Math.max(right - left - 1, 1), height, 3);
    c.fillStyle = s.selected.word === word.id ? paint.accentSoft : doubtful ? paint.doubtPaper : paint.card;
    c.fill();
    c.strokeStyle = doubtful ? paint.doubt : paint.rule;
    c.stroke();
    const own = soundsAt(s.line, i);
    const label = own.map((sound) => ipaOf(sound.phone)).join('');
    c.font = `13px ${fonts.ipa}`;
    if (c.measureText(label).width <= right - left - 4) {
      c.fillStyle = paint.ink;
      c.fillText(label, (left + right) / 2, top + height / 2 + 0.5);
    }
  }
}

export function drawSounds(c: Context, s: Scene, stave: Stave) {
  const { paint, axis, line } = s;
  const top = stave.top + 4;
  const height = stave.height - 8;
  c.textBaseline = 'middle';
  c.textAlign = 'center';
  const folded = foldedWords(s);
  drawFolded(c, s, stave, folded);
  c.font = s.ipa ? `15px ${fonts.ipa}` : `600 12px ${fonts.sans}`;
  soundsOf(line).forEach((sound) => {
    if (sound.phone === 'SIL' || folded.has(sound.word ?? -1)) return;
    const left = toX(axis, sound.span.start);
    const right = toX(axis, sound.span.end);
    if (right < GUTTER || left > axis.width) return;
    const doubtful = soundIsDoubtful(line, sound);
    const chosen = s.selected.sound === sound.id;
    c.beginPath();
    c.roundRect(left + 0.5, top, Math.max(right - left - 1, 1), height, 4);
    c.fillStyle = chosen ? paint.accentSoft : doubtful ? paint.doubtPaper : paint.card;
    c.fill();
    c.strokeStyle = chosen ? paint.accent : doubtful ? paint.doubt : paint.rule;
    if (doubtful) c.setLineDash([3, 2]);
    c.stroke();
    c.setLineDash([]);
    if (sound.release != null && right - left > 8) {
      // Where a stop opens.
      const x = Math.round(left + sound.release * (right - left));
      c.fillStyle = paint.inkSoft;
      c.fillRect(x, top + height - 5, 1, 5);
    }
    const label = s.ipa ? ipaOf(sound.phone) : sound.phone;
    if (c.measureText(label).width <= right - left - 2) {
      c.fillStyle = paint.ink;
      c.fillText(label, (left + right) / 2, top + height / 2 + 0.5);
    }
  });
}

/** A reader of sampled curves, straight between samples. */
export function reader(curves: Curves): (control: string, time: number) => number {
  return (control, time) => {
    const curve = curves.controls.get(control);
    return curve ? at(curve, time * curves.hz) : 0;
  };
}

export function at(curve: Float32Array, position: number): number {
  const p = Math.max(0, Math.min(position, curve.length - 1));
  const i = Math.min(Math.floor(p), Math.max(curve.length - 2, 0));
  const a = curve[i] ?? 0;
  return a + ((curve[i + 1] ?? a) - a) * (p - i);
}

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
  for (let x = GUTTER; x <= end; x += 1.5) c.lineTo(x, y - 0.6 - amount(toTime(s.axis, x)) * half);
  for (let x = end; x >= GUTTER; x -= 1.5) c.lineTo(x, y + 0.6 + amount(toTime(s.axis, x)) * half);
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

/** Where what is dragged would go. */
export function drawGuide(c: Context, axis: Axis, paint: Paint, time: number, height: number) {
  const x = Math.round(toX(axis, time));
  c.fillStyle = paint.ink;
  c.fillRect(x - 0.5, RULER, 1, height - RULER);
}

export function drawPlayhead(c: Context, axis: Axis, paint: Paint, time: number, height: number) {
  const x = toX(axis, time);
  if (x < GUTTER - 1 || x > axis.width) return;
  c.fillStyle = paint.accent;
  c.fillRect(x - 0.75, 0, 1.5, height);
  c.beginPath();
  c.moveTo(x - 7, 0);
  c.lineTo(x + 7, 0);
  c.lineTo(x, RULER * 0.5);
  c.closePath();
  c.fill();
}
