// What the page is looking at: place, line, time. Data lives in queries, curves in `api/live`.

import { create } from 'zustand';

export type Place = 'lines' | 'score' | 'cast' | 'deliver';
export interface Span {
  start: number;
  end: number;
}

interface State {
  place: Place;
  /** The line that is selected or open. */
  line: number | null;
  /** Seconds; the clock of everything on the score. */
  time: number;
  playing: boolean;
  /** What is played over and over. */
  loop: Span | null;
  /** Index of the selected word, or of the selected sound. */
  selected: { word: number | null; sound: number | null };
  /** The stretch of time that the staves show. */
  view: Span;
  ipa: boolean;
  /** The selected word is being typed anew. */
  retyping: boolean;
  adding: File[] | null;
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
