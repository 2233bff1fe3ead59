// What is chosen to go out: which lines, and how; kept while one is at other places.

import { create } from 'zustand';
import type { DeliveryChoices, FileKind, Recipe } from '../api/client';

interface State {
  /** Lines that go out; none until somebody chose: the open one then. */
  lines: number[] | null;
  /** How; the usual way until somebody chose. */
  recipe: Recipe | null;
  /** The recipe that it was taken from. */
  called: string | null;
  onlyChanged: boolean;
  /** Which kind's options and preview are unfolded. */
  unfolded: Row | null;
}

/** What can be chosen beside the files of a line. */
export type Row = FileKind | 'movie' | 'timeline';

export const useOrder = create<State>(() => ({
  lines: null,
  recipe: null,
  called: null,
  onlyChanged: false,
  unfolded: null,
}));

export const order = useOrder.setState;

/** Frames between two lines of a timeline, until somebody says otherwise. */
export const GAP = 12;

/** Whether a row goes out. */
export function goesOut(recipe: Recipe, row: Row): boolean {
  if (row === 'movie') return recipe.movie != null;
  if (row === 'timeline') return recipe.timeline != null;
  return recipe.kinds.includes(row);
}

/** The recipe with a row added or left out. */
export function withRow(recipe: Recipe, row: Row, on: boolean, { movie }: DeliveryChoices): Recipe {
  if (row === 'movie') return { ...recipe, movie: on ? movie : null };
  if (row === 'timeline') return { ...recipe, timeline: on ? GAP : null };
  return { ...recipe, kinds: on ? [...recipe.kinds, row] : recipe.kinds.filter((k) => k !== row) };
}
