// What is chosen on the score: asking for it, choosing, adding to it.

import type { LineView, Sound, Word } from '../api/client';
import { type Bench, type Chosen, type ChosenKey, type LayerName, type Span, get, set } from '../state';
import { soundOf, soundsOf, wordOf, wordsOf } from './line';

/** The numbers of what is chosen, if it is of a kind. */
export const idsOf = (chosen: Chosen | null, what: Exclude<Chosen['what'], 'keys'>): number[] =>
  chosen && chosen.what !== 'keys' && chosen.what === what ? chosen.ids : [];

export const keysOf = (chosen: Chosen | null): ChosenKey[] => (chosen?.what === 'keys' ? chosen.keys : []);

/** The chosen keys now. */
export const chosenKeys = () => keysOf(get().chosen);

/** The chosen spans of a layer. */
export const spanIds = (chosen: Chosen | null, layer: LayerName): number[] =>
  chosen?.what === 'spans' && chosen.layer === layer ? chosen.ids : [];

/** The sound that was chosen last. */
export const theSound = (line: LineView, chosen: Chosen | null): Sound | undefined =>
  soundOf(line, idsOf(chosen, 'sounds').at(-1) ?? null);

/** The word that was chosen last, or that of the sound. */
export function theWord(line: LineView, chosen: Chosen | null): Word | undefined {
  const word = idsOf(chosen, 'words').at(-1);
  if (word !== undefined) return wordOf(line, word);
  return wordsOf(line)[theSound(line, chosen)?.word ?? -1];
}

/** Words that are chosen, with those of chosen sounds. */
export function chosenWords(line: LineView, chosen: Chosen | null): Word[] {
  const ids = idsOf(chosen, 'words');
  const sounds = idsOf(chosen, 'sounds');
  const places = new Set(soundsOf(line).flatMap((s) => (sounds.includes(s.id) ? [s.word ?? -1] : [])));
  return wordsOf(line).filter((w, i) => ids.includes(w.id) || places.has(i));
}

/** The time that what is chosen takes. */
export function chosenSpan(line: LineView, chosen: Chosen | null): Span | null {
  const spans: Span[] = [];
  if (chosen?.what === 'words') spans.push(...chosenWords(line, chosen).map((w) => w.span));
  if (chosen?.what === 'sounds') {
    spans.push(...soundsOf(line).flatMap((s) => (chosen.ids.includes(s.id) ? [s.span] : [])));
  }
  if (chosen?.what === 'spans') {
    const { moods, looks, moves } = line.layers;
    spans.push(...[...moods, ...looks, ...moves].flatMap((s) => (chosen.ids.includes(s.id) ? [s.span] : [])));
  }
  const touches =
    chosen?.what === 'touches'
      ? line.touches.filter((t) => chosen.ids.includes(t.id)).flatMap((t) => t.keys)
      : keysOf(chosen).flatMap(({ touch, key }) => line.touches.find((t) => t.id === touch)?.keys[key] ?? []);
  spans.push(...touches.map((k) => ({ start: k.time, end: k.time })));
  if (spans.length === 0) return null;
  return { start: Math.min(...spans.map((s) => s.start)), end: Math.max(...spans.map((s) => s.end)) };
}

/** How a press adds to what is chosen: alone, with Ctrl or Cmd one more or less, with Shift all up to it. */
export type How = 'alone' | 'more' | 'to';

export const howOf = (event: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }): How =>
  event.shiftKey ? 'to' : event.ctrlKey || event.metaKey ? 'more' : 'alone';

/** What is chosen once one more was pressed, in the order of all that there are. */
export function pressed(now: number[], id: number, how: How, all: number[]): number[] {
  if (how === 'more') return now.includes(id) ? now.filter((i) => i !== id) : [...now, id];
  const from = all.indexOf(now.at(-1) ?? -1);
  const to = all.indexOf(id);
  if (how === 'alone' || from < 0 || to < 0) return [id];
  const between = all.slice(Math.min(from, to), Math.max(from, to) + 1).filter((i) => i !== id);
  return [...new Set([...now, ...between]), id].filter((i, k, list) => list.lastIndexOf(i) === k);
}

/** Chooses; nothing is nothing. */
export function choose(chosen: Chosen | null, bench: Bench = get().bench) {
  const empty = chosen && (chosen.what === 'keys' ? chosen.keys.length === 0 : chosen.ids.length === 0);
  set({ chosen: empty ? null : chosen, bench, retyping: false });
}

export const chooseKeys = (keys: ChosenKey[], bench: Bench = get().bench) =>
  choose({ what: 'keys', keys }, bench);

/** What of the chosen things is still there: others, or an undo, may have taken some away. */
export function stillThere(line: LineView, chosen: Chosen | null): Chosen | null {
  if (!chosen) return null;
  if (chosen.what === 'keys') {
    const keys = chosen.keys.filter(({ touch, key }) => line.touches.find((t) => t.id === touch)?.keys[key]);
    return keys.length === chosen.keys.length ? chosen : keys.length > 0 ? { what: 'keys', keys } : null;
  }
  const { moods, looks, moves, blinks, levels } = line.layers;
  const there = {
    words: () => wordsOf(line),
    sounds: () => soundsOf(line),
    touches: () => line.touches,
    levels: () => levels,
    spans: () => [...moods, ...looks, ...moves, ...blinks],
  }[chosen.what]();
  const all = new Set(there.map((one: { id: number }) => one.id));
  const ids = chosen.ids.filter((id) => all.has(id));
  if (ids.length === chosen.ids.length) return chosen;
  return ids.length > 0 ? { ...chosen, ids } : null;
}

/** Benches that are about a moment or a layer: a press on the speech leaves them open. */
const STAY: Bench[] = ['mood', 'eyes', 'head', 'hand', 'curve', 'why'];

/** The bench once a word or a sound was pressed. */
export const speechBench = (): Bench => (STAY.includes(get().bench) ? get().bench : 'word');
