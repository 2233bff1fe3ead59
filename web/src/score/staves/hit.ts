// What lies under the pointer on the staves of words and sounds.

import type { LineView, Sound, Word } from '../../api/client';
import type { Span } from '../../state';
import { soundsOf, unwrittenOf, wordsOf } from '../line';
import { type Axis, type Stave, toTime, toX } from './axis';

/** Pixels on either side of an edge that take hold of it. */
const GRIP = 5;

/** Pixels beside a word that is not said, and so lasts no time, that still are on it. */
const BESIDE = 14;

/** Something that can be taken hold of. */
export type Hit =
  | { what: 'unwritten'; span: Span }
  | { what: 'edge'; sound: number; time: number }
  | { what: 'word'; word: Word; place: number }
  | { what: 'sound'; sound: Sound };

/** The edge of a sound or of a word under the pointer. */
function edgeAt(line: LineView, axis: Axis, stave: Stave, x: number): Hit | null {
  const sounds = soundsOf(line);
  let best: Hit | null = null;
  let nearest = GRIP;
  sounds.forEach((s, i) => {
    if (i === 0) return;
    // On the words' stave only their own ends are taken hold of.
    if (stave.name === 'words' && s.word === sounds[i - 1]?.word) return;
    const [before, here, after] = [sounds[i - 1]?.span.start ?? 0, s.span.start, s.span.end];
    const far = Math.abs(toX(axis, here) - x);
    // Of narrow ones most is left for choosing and moving them.
    const room = Math.min(toX(axis, after) - toX(axis, here), toX(axis, here) - toX(axis, before)) / 3;
    if (far < Math.min(nearest, stave.name === 'words' ? Math.max(room, 2) : room)) {
      nearest = far;
      best = { what: 'edge', sound: s.id, time: s.span.start };
    }
  });
  return best;
}

/** What lies at a place of a stave: an edge, else the word or the sound. */
export function hitAt(line: LineView, axis: Axis, stave: Stave | undefined, x: number): Hit | null {
  if (stave?.name !== 'sounds' && stave?.name !== 'words') return null;
  if (stave.name === 'words') {
    // It lies on the edge between two others; that can be taken hold of among the sounds.
    const place = wordsOf(line).findIndex((w) => w.unsaid && Math.abs(toX(axis, w.span.start) - x) < BESIDE);
    const word = wordsOf(line)[place];
    if (word) return { what: 'word', word, place };
  }
  const edge = edgeAt(line, axis, stave, x);
  if (edge) return edge;
  const time = toTime(axis, x);
  const inside = (i: { span: { start: number; end: number } }) => time >= i.span.start && time < i.span.end;
  if (stave.name === 'words') {
    const place = wordsOf(line).findIndex(inside);
    const span = unwrittenOf(line).find((s) => time >= s.start && time < s.end);
    if (span) return { what: 'unwritten', span };
    const word = wordsOf(line)[place];
    return word ? { what: 'word', word, place } : null;
  }
  const sound = soundsOf(line).find((s) => inside(s) && s.phone !== 'SIL');
  return sound ? { what: 'sound', sound } : null;
}

/** The words or sounds that reach into a stretch. */
export function within(line: LineView, name: 'words' | 'sounds', start: number, end: number): number[] {
  const all: { id: number; span: { start: number; end: number }; phone?: string }[] =
    name === 'words' ? wordsOf(line) : soundsOf(line);
  return all.filter((s) => s.phone !== 'SIL' && s.span.end > start && s.span.start < end).map((s) => s.id);
}
