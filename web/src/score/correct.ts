// Corrections by hand: which one a drag or a key makes. What it does to the line the server works out.

import { act } from '../api/act';
import type { Correction, LineView } from '../api/client';
import { get, set } from '../state';
import { soundOf, soundsOf, wordOf } from './draw';
import { type Axis, type Stave, toX } from './layout';
import { openGrid, openLine } from './open';
import { perSecond } from './time';

/** Pixels on either side of an edge that take hold of it. */
const GRIP = 5;
/** Seconds that a nudge moves. */
export const NUDGE = 0.005;

/** What is held while dragging. */
export type Held =
  { what: 'edge'; sound: number; time: number } | { what: 'word'; word: number; from: number; time: number };

/** The edge of a sound or of a word under the pointer. */
export function edgeAt(line: LineView, axis: Axis, stave: Stave | undefined, x: number): Held | null {
  if (stave?.name !== 'sounds' && stave?.name !== 'words') return null;
  const sounds = soundsOf(line);
  let best: Held | null = null;
  let nearest = GRIP;
  sounds.forEach((s, i) => {
    if (i === 0) return;
    // On the words' stave only their own ends are taken hold of.
    if (stave.name === 'words' && s.word === sounds[i - 1]?.word) return;
    const [before, here, after] = [sounds[i - 1]?.span.start ?? 0, s.span.start, s.span.end];
    const far = Math.abs(toX(axis, here) - x);
    // Of narrow sounds most is left for choosing them.
    const room = Math.min(toX(axis, after) - toX(axis, here), toX(axis, here) - toX(axis, before)) / 3;
    if (far < Math.min(nearest, stave.name === 'words' ? GRIP : room)) {
      nearest = far;
      best = { what: 'edge', sound: s.id, time: s.span.start };
    }
  });
  return best;
}

export function correct(correction: Correction, gesture?: string) {
  const { line } = get();
  if (line) void act(line, { do: 'correct', correction }, { gesture });
}

/** Lets go of what was held at a time; `alone` without its neighbours. */
export function letGo(held: Held, time: number, alone: boolean) {
  if (held.what === 'edge') {
    if (Math.abs(time - held.time) > 1e-4) {
      correct({ kind: 'move_edge', sound: held.sound, to: Math.max(time, 0), alone });
    }
  } else if (Math.abs(time - held.from) > 1e-4) {
    correct({ kind: 'move_word', word: held.word, by: time - held.from });
  }
}

/** Moves the start of the selected sound, or the selected word, by a nudge or by a frame. */
export function nudge(direction: number, frame: boolean) {
  const line = openLine();
  const grid = openGrid();
  if (!line || !grid) return;
  const by = direction * (frame ? 1 / perSecond(grid) : NUDGE);
  const { word, sound } = get().selected;
  const chosen = soundOf(line, sound);
  if (chosen) {
    correct({ kind: 'move_edge', sound: chosen.id, to: Math.max(chosen.span.start + by, 0), alone: true });
  } else if (word !== null && wordOf(line, word)) {
    correct({ kind: 'move_word', word, by });
  }
}

/** Cuts the selected sound at the playhead, or in its middle if that is elsewhere. */
export function splitSound() {
  const line = openLine();
  const { sound } = get().selected;
  const chosen = line && soundOf(line, sound);
  if (!chosen) return;
  const { start, end } = chosen.span;
  const { time } = get();
  const inside = time > start + 0.01 && time < end - 0.01;
  correct({ kind: 'split', sound: chosen.id, at: inside ? time : (start + end) / 2, phone: chosen.phone });
}

/** Joins the selected sound with the one after it. */
export function joinSound() {
  const { sound } = get().selected;
  if (sound !== null) correct({ kind: 'merge', sound });
}

/** Takes the selected sound out. */
export function takeOut() {
  const { sound, word } = get().selected;
  if (sound === null) return;
  set({ selected: { word, sound: null } });
  correct({ kind: 'delete', sound });
}

/** Pins the selected word, which says that it is right as it stands; a pinned one may move again. */
export function pinWord() {
  const line = openLine();
  const { word } = get().selected;
  if (!line || word === null) return;
  correct({ kind: wordOf(line, word)?.pinned ? 'unpin' : 'accept', word });
}
