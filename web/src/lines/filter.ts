// Which lines of the list are shown.

import type { LineSummary, SceneSummary } from '../api/client';

export interface Filter {
  search: string;
  /** How far they are, or what speaks against them. */
  state: 'all' | 'look' | 'open' | 'timed' | 'heard' | `finding ${string}` | 'findings';
  /** What the character is called; nothing, everyone. */
  character: string;
  /** The scene's number; nothing, any or none. */
  scene: string;
}

export const EVERYTHING: Filter = { search: '', state: 'all', character: '', scene: '' };

const fits: Record<'all' | 'look' | 'open' | 'timed' | 'heard' | 'findings', (l: LineSummary) => boolean> = {
  all: () => true,
  look: (l) => l.state === 'failed' || l.doubtful_words > 0 || (l.findings ?? []).length > 0,
  open: (l) => l.state === 'analysing' || l.state === 'not_timed',
  timed: (l) => l.state === 'timed',
  heard: (l) => l.state === 'heard',
  findings: (l) => (l.findings ?? []).length > 0,
};

const inState = (l: LineSummary, state: Filter['state']) =>
  state.startsWith('finding ')
    ? (l.findings ?? []).includes(state.slice('finding '.length))
    : fits[state as keyof typeof fits](l);

/** The lines that a filter lets through. */
export function filtered(all: LineSummary[], filter: Filter, scenes: SceneSummary[]): LineSummary[] {
  const search = filter.search.trim().toLowerCase();
  const scene = filter.scene === '' ? null : new Set(scenes.find((s) => String(s.id) === filter.scene)?.of);
  return all.filter(
    (l) =>
      inState(l, filter.state) &&
      (filter.character === '' || (l.character ?? '–') === filter.character) &&
      (!scene || scene.has(l.id)) &&
      (search === '' ||
        `${l.name ?? ''} ${l.text} ${l.character ?? ''} ${l.recording_name}`.toLowerCase().includes(search)),
  );
}

/** Titles of what check lists say of lines, the most frequent first. */
export function findingsOf(all: LineSummary[]): [string, number][] {
  const counts = new Map<string, number>();
  for (const title of all.flatMap((l) => l.findings ?? [])) counts.set(title, (counts.get(title) ?? 0) + 1);
  return [...counts].sort((a, b) => b[1] - a[1]);
}
