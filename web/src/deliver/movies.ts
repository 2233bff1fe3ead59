// Movies that are made one after the other in the page, with progress; seen in the queue beside the server's work.

import { create } from 'zustand';
import { type LineSummary, type Recipe, api, queries } from '../api/client';
import { tell } from '../widgets/tell';
import { Stopped, encoded, pictures, wayOf } from './movie';
import { readWave } from './wave';

export interface MovieJob {
  id: number;
  line: number;
  state: 'waiting' | 'drawing' | 'kept' | 'failed';
  done: number;
  frames: number;
  message: string | null;
}

interface State {
  jobs: MovieJob[];
}

export const useMovies = create<State>(() => ({ jobs: [] }));

/** Jobs that are to stop. */
const stopping = new Set<number>();
let next = 1;
/** What is made now, and what waits behind it. */
let chain: Promise<void> = Promise.resolve();

const change = (id: number, by: Partial<MovieJob>) =>
  useMovies.setState((s) => ({ jobs: s.jobs.map((j) => (j.id === id ? { ...j, ...by } : j)) }));

const drop = (id: number) => useMovies.setState((s) => ({ jobs: s.jobs.filter((j) => j.id !== id) }));

/** Stops a movie that is made or waits. */
export function stopMovie(id: number) {
  stopping.add(id);
  const job = useMovies.getState().jobs.find((j) => j.id === id);
  if (job?.state !== 'drawing') drop(id);
}

/** Makes movies of lines, one after the other. */
export function makeMovies(lines: LineSummary[], recipe: Recipe, server: boolean) {
  for (const line of lines) {
    const id = next++;
    const job: MovieJob = { id, line: line.id, state: 'waiting', done: 0, frames: 0, message: null };
    useMovies.setState((s) => ({ jobs: [...s.jobs, job] }));
    chain = chain.then(() => make(id, line, recipe, server)).catch(tell);
  }
}

async function make(id: number, line: LineSummary, recipe: Recipe, server: boolean) {
  const { movie } = recipe;
  if (!movie || stopping.delete(id)) return drop(id);
  try {
    const [frames, cast, wav] = await Promise.all([
      api.frames(line.id, recipe),
      queries.fetchQuery({ queryKey: ['cast'], queryFn: api.cast }),
      api.wav(line.id),
    ]);
    const member = cast.find((m) => m.name === line.character);
    if (!member) throw new Error('This line has no character yet; choose who says it.');
    change(id, { state: 'drawing', frames: frames.values.length });
    const making = {
      movie,
      frames,
      member,
      name: line.name ?? `${line.number} · ${member.name}`,
      sound: readWave(wav),
      progress: (done: number) => {
        if (stopping.delete(id)) throw new Stopped();
        change(id, { done });
      },
    };
    if ((await wayOf(movie, server)) === 'here') {
      const blob = await encoded(making);
      await api.keepMovie(line.id, new File([blob], `movie.${movie.file}`), recipe);
    } else await api.keepPictures(line.id, await pictures(making), recipe);
    drop(id);
    await queries.invalidateQueries({ queryKey: ['deliveries'] });
  } catch (error) {
    if (error instanceof Stopped) drop(id);
    else change(id, { state: 'failed', message: error instanceof Error ? error.message : String(error) });
  }
}
