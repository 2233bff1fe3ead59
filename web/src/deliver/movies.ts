// Movies that are made one after the other in the page, with progress; seen in the queue beside the server's work.

import { create } from 'zustand';
import { type LineSummary, type Recipe, type SceneView, fetched, api, queries } from '../api/client';
import { fetchCurves } from '../scene/data';
import { tell } from '../widgets/tell';
import { type Making, Stopped, encoded, lineStage, pictures, sceneStage, wayOf } from './movie';
import { readWave } from './wave';

export interface MovieJob {
  id: number;
  /** The line that it is kept with; of a scene's, the scene. */
  line: number | null;
  scene: number | null;
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

/** What a movie is of, fetched when it is its turn, and where it is kept. */
interface Order {
  making: () => Promise<Omit<Making, 'movie' | 'progress'>>;
  keep: (movie: File) => Promise<unknown>;
  keepPictures: (pictures: File[]) => Promise<unknown>;
}

function queue(of: Pick<MovieJob, 'line' | 'scene'>, order: Order, recipe: Recipe, server: boolean) {
  const id = next++;
  const job: MovieJob = { id, ...of, state: 'waiting', done: 0, frames: 0, message: null };
  useMovies.setState((s) => ({ jobs: [...s.jobs, job] }));
  chain = chain.then(() => make(id, order, recipe, server)).catch(tell);
}

const castNow = () => fetched({ queryKey: ['cast'], queryFn: api.cast });

/** Makes movies of lines, one after the other. */
export function makeMovies(lines: LineSummary[], recipe: Recipe, server: boolean) {
  for (const line of lines) {
    const making = async () => {
      const [{ values, ...frames }, cast, wav] = await Promise.all([
        api.frames(line.id, recipe),
        castNow(),
        api.wav(line.id),
      ]);
      const member = cast.find((m) => m.name === line.character);
      if (!member) throw new Error('This line has no character yet; choose who says it.');
      return {
        frames: { ...frames, count: values.length },
        set: lineStage(member, values),
        name: line.name ?? `${line.number} · ${member.name}`,
        sound: readWave(wav),
      };
    };
    const keep = (movie: File) => api.keepMovie(line.id, movie, recipe);
    const keepPictures = (all: File[]) => api.keepPictures(line.id, all, recipe);
    queue({ line: line.id, scene: null }, { making, keep, keepPictures }, recipe, server);
  }
}

/** Makes a movie of a scene. */
export function makeSceneMovie(scene: SceneView, recipe: Recipe, server: boolean) {
  const { id, name, grid } = scene;
  const making = async () => {
    const [curves, cast, wav] = await Promise.all([fetchCurves(scene), castNow(), api.sceneWav(id)]);
    const standing = scene.actors.flatMap(({ member, place }) => {
      const own = cast.find((m) => m.id === member);
      return own ? [{ member: own, place }] : [];
    });
    const { rate, first } = grid;
    const frames = {
      name,
      first_frame: first,
      sound_frame: first,
      frame_rate: rate,
      words: curves.words,
      count: curves.frames,
    };
    return { frames, set: sceneStage(standing, curves), name, sound: readWave(wav) };
  };
  const keep = (movie: File) => api.keepSceneMovie(id, movie, recipe);
  const keepPictures = (all: File[]) => api.keepScenePictures(id, all, recipe);
  queue({ line: null, scene: id }, { making, keep, keepPictures }, recipe, server);
}

async function make(id: number, order: Order, recipe: Recipe, server: boolean) {
  const { movie } = recipe;
  if (!movie || stopping.delete(id)) return drop(id);
  try {
    const ordered = await order.making();
    change(id, { state: 'drawing', frames: ordered.frames.count });
    const progress = (done: number) => {
      if (stopping.delete(id)) throw new Stopped();
      change(id, { done });
    };
    const making = { ...ordered, movie, progress };
    if ((await wayOf(movie, server)) === 'here') {
      await order.keep(new File([await encoded(making)], `movie.${movie.file}`));
    } else await order.keepPictures(await pictures(making));
    drop(id);
    await queries.invalidateQueries({ queryKey: ['deliveries'] });
  } catch (error) {
    if (error instanceof Stopped) drop(id);
    else change(id, { state: 'failed', message: error instanceof Error ? error.message : String(error) });
  }
}
