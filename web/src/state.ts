// What the page is looking at: place, line, time. Data lives in queries, curves in `api/live`.

import { create } from 'zustand';

import type { ControlName } from './api/client';

export type Place = 'lines' | 'score' | 'cast' | 'deliver';
export interface Span {
  start: number;
  end: number;
}

/** A key, by its touch's number and its place in it. */
export interface ChosenKey {
  touch: number;
  key: number;
}

/** What is listed on an open stave: what moves in view, what hands touched, everything, or a region. */
export type Listed =
  | 'moving'
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

interface State {
  place: Place;
  /** The line that is selected or open. */
  line: number | null;
  /** Seconds; the clock of everything on the score. */
  time: number;
  playing: boolean;
  /** What is played over and over. */
  loop: Span | null;
  /** The selected word, or the selected sound, by their numbers. */
  selected: { word: number | null; sound: number | null };
  /** The stretch of time that the staves show. */
  view: Span;
  ipa: boolean;
  /** The selected word is being typed anew. */
  retyping: boolean;
  adding: File[] | null;
  /** The mouth's stave shows its curves and keys. */
  open: boolean;
  /** The curve that is worked on. */
  control: ControlName | null;
  keys: ChosenKey[];
  listed: Listed;
  /** Keys land on frames. */
  snap: boolean;
  /** What the bench shows at the right. */
  side: 'line' | 'steps' | 'why' | 'check';
  /** The layer that the bench shows, and the span or blink of it that is chosen. */
  layer: { name: LayerName; id: number | null } | null;
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
  /** The bench shows the line's diction instead of what is selected. */
  diction: boolean;
  /** The word list is open. */
  wordList: boolean;
  /** The character that is open in the Cast. */
  castMember: number | null;
}

function fromAddress(): Partial<State> {
  const [, place, text] = location.pathname.split('/');
  const id = Number(text) || null;
  if (place === 'score' && id) return { place, line: id };
  if (place === 'cast') return { place, castMember: id };
  return { place: place === 'deliver' ? place : 'lines' };
}

export const useView = create<State>(() => ({
  place: 'lines',
  line: null,
  castMember: null,
  time: 0,
  playing: false,
  loop: null,
  selected: { word: null, sound: null },
  view: { start: 0, end: 5 },
  ipa: false,
  retyping: false,
  adding: null,
  wordList: false,
  diction: false,
  open: false,
  control: null,
  keys: [],
  listed: 'moving',
  snap: true,
  side: 'line',
  layer: null,
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

function address(place: Place, line: number | null, member: number | null) {
  if (place === 'score' && line) return `/score/${line}`;
  if (place === 'cast') return member ? `/cast/${member}` : '/cast';
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
}

function enter(change: Partial<State>) {
  const { place, line, castMember } = { ...get(), ...change };
  const to = address(place, line, castMember);
  if (to !== location.pathname) history.pushState(null, '', to);
  set(change);
}

window.addEventListener('popstate', () => set(fromAddress()));
