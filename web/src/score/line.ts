// What is read out of a line's document and its curves, here and there on the page.

import { type LineView, type Sound, type Word, isDoubtful } from '../api/client';
import type { Curves } from '../api/live';
import type { Span } from '../state';

export const wordsOf = (line: LineView): Word[] => line.document.timing?.words ?? [];
export const soundsOf = (line: LineView): Sound[] => line.document.timing?.sounds ?? [];

/** Stretches in which something is said that the text does not have. */
export const unwrittenOf = (line: LineView): Span[] => line.unwritten ?? [];

/** The sounds of such a stretch. */
export const soundsIn = (line: LineView, { start, end }: Span): Sound[] =>
  soundsOf(line).filter((s) => s.phone !== 'SIL' && s.span.start > start - 1e-3 && s.span.end < end + 1e-3);

/** Sounds by the places of their words, of every timing that was asked about. */
const byWord = new WeakMap<object, Map<number, Sound[]>>();

/** The sounds of the word at a place. */
export function soundsAt(line: LineView, place: number): Sound[] {
  const { timing } = line.document;
  if (!timing) return [];
  let all = byWord.get(timing);
  if (!all) {
    all = Map.groupBy(soundsOf(line), (s) => s.word ?? -1);
    byWord.set(timing, all);
  }
  return all.get(place) ?? [];
}

/** The word or the sound of a number. */
export const wordOf = (line: LineView, id: number | null) => wordsOf(line).find((w) => w.id === id);
export const soundOf = (line: LineView, id: number | null) => soundsOf(line).find((s) => s.id === id);

/** Whether somebody should listen to a sound; those of pinned words were listened to. */
export const soundIsDoubtful = (line: LineView, sound: Sound) =>
  sound.phone !== 'SIL' &&
  isDoubtful({ confidence: sound.confidence, pinned: wordsOf(line)[sound.word ?? -1]?.pinned });

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
