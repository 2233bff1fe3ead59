// What the page is looking at: place, line, time. Data lives in queries, curves in `api/live`.

import { create } from 'zustand';

export type Place = 'lines' | 'score' | 'deliver';
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
  adding: File[] | null;
}

function fromAddress(): Pick<State, 'place' | 'line'> {
  const [, place, id] = location.pathname.split('/');
  const line = Number(id) || null;
  if (place === 'score' && line) return { place, line };
  if (place === 'deliver') return { place, line };
  return { place: 'lines', line };
}

export const useView = create<State>(() => ({
  ...fromAddress(),
  time: 0,
  playing: false,
  loop: null,
  selected: { word: null, sound: null },
  view: { start: 0, end: 5 },
  ipa: false,
  adding: null,
}));

export const set = useView.setState;
export const get = useView.getState;

function address(place: Place, line: number | null) {
  if (place === 'score' && line) return `/score/${line}`;
  return place === 'deliver' ? '/deliver' : '/';
}

/** Goes to a place; the address follows, so that a reload comes back to it. */
export function go(place: Place, line: number | null = get().line) {
  if (place === 'score' && !line) return;
  const to = address(place, line);
  if (to !== location.pathname) history.pushState(null, '', to);
  set({ place, line });
}

window.addEventListener('popstate', () => set(fromAddress()));
