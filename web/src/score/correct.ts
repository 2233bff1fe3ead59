// Corrections by hand: which one a drag or a key makes. What it does to the line the server works out.

import { act } from '../api/act';
import { ownGesture } from '../api/queue';
import type { Correction } from '../api/client';
import { get } from '../state';
import { choose, chosenWords, idsOf, theSound } from './chosen';
import { soundsOf } from './line';
import { openGrid, openLine } from './open';
import { NUDGE, perSecond } from './time';

/** Makes a correction; `of` tells several of one gesture apart. */
export function correct(correction: Correction, gesture?: string, of?: string) {
  const { line } = get();
  if (line) void act(line, { do: 'correct', correction }, { gesture, of });
}

/** Moves the starts of the chosen sounds, or the chosen words, by a nudge or by a frame. */
export function nudge(direction: number, frame: boolean) {
  const line = openLine();
  const grid = openGrid();
  if (!line || !grid) return;
  const by = direction * (frame ? 1 / perSecond(grid) : NUDGE);
  const { chosen } = get();
  const all: Correction[] =
    chosen?.what === 'sounds'
      ? sounds(chosen.ids).map((s) => ({
          kind: 'move_edge',
          sound: s.id,
          to: Math.max(s.span.start + by, 0),
          alone: true,
        }))
      : idsOf(chosen, 'words').map((word) => ({ kind: 'move_word', word, by }));
  // What goes forward goes before what it would run into.
  if (by > 0) all.reverse();
  const gesture = all.length > 1 ? ownGesture() : undefined;
  all.forEach((one, i) => correct(one, gesture, `${i}`));
}

const sounds = (ids: number[]) => {
  const line = openLine();
  return line ? soundsOf(line).filter((s) => ids.includes(s.id)) : [];
};

/** Cuts the chosen sound at the playhead, or in its middle if that is elsewhere. */
export function splitSound() {
  const line = openLine();
  const own = line && theSound(line, get().chosen);
  if (!own) return;
  const { start, end } = own.span;
  const { time } = get();
  const inside = time > start + 0.01 && time < end - 0.01;
  correct({ kind: 'split', sound: own.id, at: inside ? time : (start + end) / 2, phone: own.phone });
}

/** Joins the chosen sound with the one after it. */
export function joinSound() {
  const sound = idsOf(get().chosen, 'sounds').at(-1);
  if (sound !== undefined) correct({ kind: 'merge', sound });
}

/** Deletes the chosen sounds, as one step. */
export function deleteSounds() {
  const all = idsOf(get().chosen, 'sounds');
  if (all.length === 0) return;
  choose(null);
  const gesture = ownGesture();
  all.forEach((sound) => correct({ kind: 'delete', sound }, gesture, `${sound}`));
}

/** Pins the chosen words, which says that they are right as they stand; pinned ones may move again. */
export function pinWords() {
  const line = openLine();
  const all = line ? chosenWords(line, get().chosen) : [];
  const pin = all.some((w) => !w.pinned);
  const gesture = ownGesture();
  for (const { id, pinned } of all) {
    if (Boolean(pinned) !== pin) correct({ kind: pin ? 'accept' : 'unpin', word: id }, gesture, `${id}`);
  }
}
