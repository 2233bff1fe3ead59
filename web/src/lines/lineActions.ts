// What is done with whole lines: deleted, named, copied, put in another order.

import { act } from '../api/act';
import { type Batch, type LineSummary, type LinesChange, api, queries } from '../api/client';
import { produce, turnProduction } from '../api/production';
import { get, go, set } from '../state';
import { say, tell } from '../widgets/tell';
import { sentenceCase } from '../widgets/words';

/** The lines that something is done with: those that are marked, else the chosen one. */
export const chosenLines = () => {
  const { line, marked } = get();
  return marked.length > 0 ? marked : line === null ? [] : [line];
};

/** Deletes lines; they can be taken back. */
export function deleteLines(ids: number[]) {
  const all = queries.getQueryData<LineSummary[]>(['lines']) ?? [];
  const gone = new Set(ids);
  const first = all.findIndex((l) => gone.has(l.id));
  const next = all.slice(first).find((l) => !gone.has(l.id)) ?? all.slice(0, first).at(-1);
  void produce({ do: 'delete_lines', ids }).then(
    (made) => made && set({ line: next?.id ?? null, marked: [] }),
  );
}

/** Says what a step of the production did, with a way back. */
const done = (says: string) =>
  say(`${sentenceCase(says)}.`, { does: 'Undo', run: () => void turnProduction('undo') });

/** Changes many lines as one step, and says so with a way back. */
export async function changeLines(ids: number[], change: LinesChange) {
  const made = await produce({ do: 'change_lines', ids, change });
  if (made) done(made.says);
}

/** Work on many lines was asked for: the bar that tells of it is drawn anew. */
export const queued = (batch: Promise<Batch>) =>
  void batch.then(() => queries.invalidateQueries({ queryKey: ['batch'] })).catch(tell);

/** Has the texts of lines that have none written as they are heard, to be corrected. */
export const draftTexts = (lines: LineSummary[]) => queued(api.draftLines(lines.map((l) => l.id)));

export function duplicateLine(id: number) {
  void produce({ do: 'duplicate_line', id }).then((made) => {
    const [copy] = made?.made ?? [];
    if (copy !== undefined) set({ line: copy });
  });
}

/** Lines of one speaker each in the place of one whose text names who says what. */
export async function splitBySpeaker(id: number) {
  const made = await produce({ do: 'split_by_speaker', id });
  if (!made) return;
  set({ line: made.made[0] ?? null, marked: [] });
  go('lines');
  done(made.says);
}

/** Gives a line a name of its own; nothing takes it away. */
export const nameLine = (id: number, name: string) => void act(id, { do: 'name', name });

/** Puts the line at a place to another one. */
export function orderLines(all: LineSummary[], from: number, to: number) {
  const ids = all.map((l) => l.id);
  const [moved] = ids.splice(from, 1);
  if (moved === undefined) return;
  ids.splice(Math.max(0, Math.min(ids.length, to)), 0, moved);
  void produce({ do: 'order_lines', ids });
}

export function moveLine(all: LineSummary[], id: number, by: number) {
  const here = all.findIndex((l) => l.id === id);
  orderLines(all, here, here + by);
}
