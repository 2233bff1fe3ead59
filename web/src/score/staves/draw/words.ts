// The words, each as wide as it lasts, riding on the pitch; as running text where there is no room for that.

import { type Word, isDoubtful } from '../../../api/client';
import { fonts } from '../../../theme/theme';
import { unwrittenOf, wordsOf } from '../../line';
import { GUTTER, type Stave, toX } from '../axis';
import type { Paint } from './paint';
import { type Print, print, widthOf } from './print';
import type { Context, Scene } from './scene';
import { pitchScale } from './voice';

/** The chosen word and doubtful ones stand on paper of their own, under everything else. */
function drawWordPapers(c: Context, s: Scene, stave: Stave) {
  const { paint, axis } = s;
  wordsOf(s.line).forEach((word) => {
    const [left, right] = [toX(axis, word.span.start), toX(axis, word.span.end)];
    const chosen = s.words.has(word.id);
    if (right < GUTTER || left > axis.width || !(chosen || isDoubtful(word))) return;
    c.fillStyle = chosen ? paint.accentSoft : paint.doubtPaper;
    c.beginPath();
    c.roundRect(left, stave.top + 3, Math.max(right - left, 2), stave.height - 6, 4);
    c.fill();
  });
}

export function drawWords(c: Context, s: Scene, stave: Stave) {
  drawWordPapers(c, s, stave);
  const placed = place(c, s, stave);
  print(c, [
    ...drawPhrases(c, s, stave),
    ...drawNoises(c, s, stave),
    ...drawUnwritten(c, s, stave),
    ...(placed ? placed.map((one) => drawWord(c, s, stave, one)) : textOf(c, s, stave)),
  ]);
}

interface Placed {
  word: Word;
  text: string;
  x: number;
  y: number;
  size: number;
  weight: number;
  width: number;
}

/** Words that may find no room of their own, as a share of those in view; if there are more the line is written as text. */
const LEFT_OUT = 0.12;

/** Where each word of the view stands; nothing if too many find no room. */
function place(c: Context, s: Scene, stave: Stave): Placed[] | null {
  const { axis, line } = s;
  const pitch = pitchScale(line);
  const middle = stave.top + stave.height / 2;
  const swing = stave.height * 0.2;
  const rows: number[] = [-Infinity, -Infinity];
  const out: Placed[] = [];
  let all = 0;
  wordsOf(line).forEach((word, i) => {
    const left = toX(axis, word.span.start);
    const right = toX(axis, word.span.end);
    if (right < GUTTER - 80 || left > axis.width + 80) return;
    all++;
    const text = word.text + (word.after ?? '');
    // Words that stand out in the voice stand out in print.
    const stress = line.phrasing?.stress[i] ?? 0.5;
    const weight = s.words.has(word.id) ? 700 : 400 + 100 * Math.round(3 * stress);
    // As large as the word's time allows, within what is readable.
    const natural = widthOf(c, `${weight} 16px ${fonts.serif}`, text);
    const fits = Math.max(12, Math.min(17, (16 * (right - left + 6)) / natural));
    // Few sizes, because each is a picture of its own.
    const size = Math.round(2 * fits) / 2;
    const width = (natural * size) / 16;
    const x = (left + right) / 2;
    let y = middle - (pitch && word.pitch ? pitch(word.pitch) * swing : 0);
    // A word too wide for its time steps out of its neighbour's way.
    const row = rows.findIndex((end) => x - width / 2 >= end + 3);
    if (row < 0) return;
    if (row === 1) y = Math.min(y + 13, stave.top + stave.height - 8);
    rows[row] = x + width / 2;
    out.push({ word, text, x, y, size, weight, width });
  });
  return all - out.length > all * LEFT_OUT ? null : out;
}

/** What belongs to a word, but the word itself. */
function drawWord(
  c: Context,
  s: Scene,
  stave: Stave,
  { word, text, x, y, size, weight, width }: Placed,
): Print {
  const { paint, axis } = s;
  const left = toX(axis, word.span.start);
  const doubtful = isDoubtful(word);
  c.strokeStyle = paint.rule;
  c.lineWidth = 1;
  c.beginPath();
  c.moveTo(Math.round(left) + 0.5, stave.top + stave.height - 8);
  c.lineTo(Math.round(left) + 0.5, stave.top + stave.height);
  c.stroke();
  if (word.pinned) drawPin(c, paint, x - width / 2 - 5, y - size * 0.3);
  if (word.unsaid) {
    c.strokeStyle = paint.doubt;
    c.beginPath();
    c.moveTo(x - width / 2 - 2, y + 1);
    c.lineTo(x + width / 2 + 2, y + 1);
    c.stroke();
  } else if (doubtful) {
    c.setLineDash([3, 2]);
    c.strokeStyle = paint.doubt;
    c.beginPath();
    c.moveTo(x - width / 2, y + size * 0.62);
    c.lineTo(x + width / 2, y + size * 0.62);
    c.stroke();
    c.setLineDash([]);
  }
  const colour = s.words.has(word.id) ? paint.accent : doubtful ? paint.doubt : paint.ink;
  return { text, font: `${weight} ${size}px ${fonts.serif}`, colour, x, y };
}

/** The line as running text, phrase by phrase on two rows, as far as there is room before the next but one. */
function textOf(c: Context, s: Scene, stave: Stave): Print[] {
  const { paint, axis, line } = s;
  const words = wordsOf(line);
  const starts = line.phrasing?.phrases.map((p) => p.span) ?? [];
  const spans = starts.length > 0 ? starts : [{ start: 0, end: line.summary.duration }];
  const font = `13px ${fonts.serif}`;
  return spans.flatMap((span, i) => {
    const x = Math.max(toX(axis, span.start), GUTTER + 2);
    const next = spans[i + 2] ?? spans[i + 1];
    const room = (next && spans[i + 2] ? toX(axis, next.start) : axis.width) - x - 6;
    if (toX(axis, span.end) < GUTTER || x > axis.width) return [];
    const until = spans[i + 1]?.start ?? Infinity;
    const own = words.filter(
      (w) =>
        w.span.start >= span.start - 1e-3 && w.span.start < until - 1e-3 && toX(axis, w.span.end) > GUTTER,
    );
    const y = stave.top + stave.height * (i % 2 === 0 ? 0.36 : 0.74);
    const all = own.map((w) => w.text + (w.after ?? ''));
    const text = fitting(c, font, all, room);
    return text ? [{ text, font, colour: paint.ink, x, y, align: 'left' as const }] : [];
  });
}

/** As many words as fit, and a sign that there are more. */
function fitting(c: Context, font: string, words: string[], room: number): string {
  let text = '';
  for (const [i, word] of words.entries()) {
    const longer = text ? `${text} ${word}` : word;
    const last = i === words.length - 1;
    if (widthOf(c, font, last ? longer : `${longer} …`) > room) return text ? `${text} …` : '';
    text = longer;
  }
  return text;
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
function drawPhrases(c: Context, s: Scene, stave: Stave): Print[] {
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
  return (line.phrasing?.breaths ?? []).flatMap((breath) => {
    const x = toX(axis, (breath.start + breath.end) / 2);
    if (x <= GUTTER + 4 || x >= axis.width) return [];
    return [{ text: ',', font: `600 22px ${fonts.serif}`, colour: paint.ink, x, y: top + 6 }];
  });
}

/** What is heard and is no word. */
function drawNoises(c: Context, s: Scene, stave: Stave): Print[] {
  const { paint, axis, line } = s;
  const font = `italic 12px ${fonts.serif}`;
  return (line.document.timing?.noises ?? []).flatMap((noise) => {
    const [left, right] = [toX(axis, noise.span.start), toX(axis, noise.span.end)];
    if (right < GUTTER || left > axis.width) return [];
    c.strokeStyle = paint.voice;
    c.beginPath();
    c.roundRect(left + 0.5, stave.top + 14, Math.max(right - left - 1, 2), stave.height - 24, 4);
    c.stroke();
    if (widthOf(c, font, noise.text) > right - left - 4) return [];
    const [x, y] = [(left + right) / 2, stave.top + 2 + stave.height / 2];
    return [{ text: noise.text, font, colour: paint.inkSoft, x, y }];
  });
}

/** What is said and is not written: a place to type it. */
function drawUnwritten(c: Context, s: Scene, stave: Stave): Print[] {
  const { paint, axis, line } = s;
  const font = `italic 12px ${fonts.serif}`;
  return unwrittenOf(line).flatMap((span) => {
    const [left, right] = [toX(axis, span.start), toX(axis, span.end)];
    if (right < GUTTER || left > axis.width) return [];
    c.fillStyle = paint.doubtPaper;
    c.strokeStyle = paint.doubt;
    c.setLineDash([3, 2]);
    c.beginPath();
    c.roundRect(left + 0.5, stave.top + 4, Math.max(right - left - 1, 3), stave.height - 8, 4);
    c.fill();
    c.stroke();
    c.setLineDash([]);
    const text = ['type what is said here', 'not written', '…'].find(
      (t) => widthOf(c, font, t) < right - left - 6,
    );
    if (!text) return [];
    return [{ text, font, colour: paint.doubt, x: (left + right) / 2, y: stave.top + stave.height / 2 }];
  });
}
