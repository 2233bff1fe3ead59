// What the page is looking at: place, line, time. Data lives in queries, curves in `api/live`.

import { create } from 'zustand';

import type { ControlName } from './api/client';

export type Place = 'lines' | 'score' | 'scene' | 'cast' | 'deliver';
export interface Span {
  start: number;
  end: number;
}

/** A key, by its touch's number and its place in it. */
export interface ChosenKey {
  touch: number;
  key: number;
}

/** What is listed on an open stave: what moves in view of the mouth or of the whole face, what hands touched,
 * everything, eyes with lids and brows, or a region. */
export type Listed =
  | 'moving'
  | 'face'
  | 'eyes'
  | 'touched'
  | 'all'
  | 'jaw'
  | 'lips'
  | 'tongue'
  | 'cheeks'
  | 'lids'
  | 'brows'
  | 'gaze'
  | 'head'
  | `set ${string}`;

/** A layer over the speech. */
export type LayerName = 'mood' | 'eyes' | 'head' | 'hand';

/** A layer, the mouth's among them. */
export type LayerKey = 'mouth' | LayerName;

/** What is chosen on the score: one kind of thing, one or several of it, by their numbers; the last is the newest. */
export type Chosen =
  | { what: 'words' | 'sounds' | 'touches'; ids: number[] }
  /** Moods, looks, blinks and head moves, by the layer they lie on. */
  | { what: 'spans'; layer: LayerName; ids: number[] }
  | { what: 'levels'; layer: LayerKey; ids: number[] }
  | { what: 'keys'; keys: ChosenKey[] };

export type Bench =
  'line' | 'word' | 'diction' | 'mood' | 'eyes' | 'head' | 'hand' | 'curve' | 'why' | 'check' | 'steps';

interface State {
  place: Place;
  /** The line that is selected or open. */
  line: number | null;
  /** Seconds; the clock of everything on the score. */
  time: number;
  playing: boolean;
  /** What is played over and over. */
  loop: Span | null;
  /** The stretch of time that the staves show. */
  view: Span;
  chosen: Chosen | null;
  /** The bench that is open, whatever is chosen. */
  bench: Bench;
  /** The chosen word is being typed anew. */
  retyping: boolean;
  /** The recording of a line that is being added; an empty list, none yet. */
  adding: File[] | null;
  /** Files of many lines that are being looked through before they come in. */
  many: File[] | null;
  /** Lines that are marked beside the one that is chosen, to be changed together. */
  marked: number[];
  /** Texts are being found in a script. */
  matching: boolean;
  /** The mouth's stave shows its curves and keys. */
  open: boolean;
  /** The curves that are worked on; the last is the one that was chosen last. */
  curves: ControlName[];
  listed: Listed;
  /** Keys land on frames. */
  snap: boolean;
  /** The next click on the stage says where the character is to look. */
  pointing: boolean;
  /** A pass is being performed. */
  performing: boolean;
  /** The camera keeps to the head. */
  locked: boolean;
  /** The snapshot that is compared with, and how. */
  compare: { snapshot: number; name: string; how: 'now' | 'then' | 'split' } | null;
  /** The stage fills the page. */
  full: boolean;
  /** The page of keys is open. */
  keyMap: boolean;
  /** How fast it plays; the pitch stays. */
  speed: 1 | 0.5 | 0.25;
  /** The word list is open. */
  wordList: boolean;
  /** The character that is open in the Cast. */
  castMember: number | null;
  /** What is open under a character; none: what it needs most. */
  castTab: 'wiring' | 'mouths' | 'shapes' | 'hand' | null;
  /** The scene that is open. */
  scene: number | null;
}

function fromAddress(): Partial<State> {
  const [, place, text] = location.pathname.split('/');
  const id = Number(text) || null;
  if (place === 'score' && id) return { place, line: id };
  if (place === 'cast') return { place, castMember: id };
  if (place === 'scene') return { place, scene: id };
  return { place: place === 'deliver' ? place : 'lines' };
}

export const useView = create<State>(() => ({
  place: 'lines',
  line: null,
  castMember: null,
  castTab: null,
  scene: null,
  time: 0,
  playing: false,
  loop: null,
  view: { start: 0, end: 5 },
  chosen: null,
  bench: 'line',
  retyping: false,
  adding: null,
  many: null,
  marked: [],
  matching: false,
  wordList: false,
  open: false,
  curves: [],
  listed: 'moving',
  snap: true,
  pointing: false,
  performing: false,
  locked: false,
  compare: null,
  speed: 1,
  full: false,
  keyMap: false,
  ...fromAddress(),
}));

export const set = useView.setState;
export const get = useView.getState;

function address({ place, line, castMember, scene }: State) {
  if (place === 'score' && line) return `/score/${line}`;
  if (place === 'cast') return castMember ? `/cast/${castMember}` : '/cast';
  if (place === 'scene') return scene ? `/scene/${scene}` : '/scene';
  return place === 'deliver' ? '/deliver' : '/';
}

/** Goes to a place; the address follows, so that a reload comes back to it. */
export function go(place: Place, line: number | null = get().line) {
  if (place === 'score' && !line) return;
  enter({ place, line });
}

/** Opens a character in the Cast. */
export function openMember(castMember: number) {
  enter({ place: 'cast', castMember });
  set({ castTab: null });
}

/** Opens a scene. */
export function openScene(scene: number) {
  enter({ place: 'scene', scene });
}

function enter(change: Partial<State>) {
  const to = address({ ...get(), ...change });
  if (to !== location.pathname) history.pushState(null, '', to);
  set(change);
}

window.addEventListener('popstate', () => set(fromAddress()));
