import { Checkbox } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { type DeliveryChoices, type FileKind, type Recipe, type SceneView, api } from '../api/client';
import { FileList, JobRow, MovieRow } from '../deliver/Delivered';
import { MoviePart } from '../deliver/MoviePart';
import { makeSceneMovie, useMovies } from '../deliver/movies';
import type { Row } from '../deliver/order';
import { Asked } from '../widgets/Asked';
import { Press } from '../widgets/Press';
import { tell } from '../widgets/tell';
import { strip, useStrip } from './data';
import css from './ScenePage.module.css';

/** What goes out of a scene, and what it is there. */
const ROWS: [Row, string, string][] = [
  ['glb', 'Animated scene', 'glTF: all in their places, one clip'],
  ['usd', 'Scene layers', 'USD: a layer over one for each'],
  ['movie', 'Movie', 'made in this page'],
  ['timeline', 'Timeline', 'OpenTimelineIO: a row for each'],
  ['wav', 'Sound', 'one WAV with the time of its first frame'],
  ['curves', 'Curves', 'JSON for each, start to end'],
];

export function DeliverTab({ scene }: { scene: SceneView }) {
  const choices = useQuery({ queryKey: ['deliveries', 'choices'], queryFn: api.deliveryChoices });
  return <Asked query={choices}>{(choices) => <Order scene={scene} choices={choices} />}</Asked>;
}

function Order({ scene, choices }: { scene: SceneView; choices: DeliveryChoices }) {
  const { rows, movie } = useStrip((s) => s.order);
  const choose = (rows: Row[]) => strip((s) => ({ order: { ...s.order, rows } }));
  const made = { ...(movie ?? choices.movie), view: 'face' as const };
  const files = useQuery({ queryKey: ['deliveries'], queryFn: api.deliveries });
  const jobs = useQuery({ queryKey: ['jobs'], queryFn: api.jobs });
  const movies = useMovies((s) => s.jobs).filter((m) => m.scene === scene.id);
  const out = (files.data ?? []).filter((f) => f.scene === scene.id);
  const first = scene.turns[0]?.line;
  const running = (jobs.data ?? []).filter(
    (j) => j.kind === 'deliver' && j.line === first && j.state !== 'done' && j.state !== 'cancelled',
  );
  const deliver = async () => {
    const kinds = rows.filter((r): r is FileKind => r !== 'movie' && r !== 'timeline');
    const recipe: Recipe = {
      ...choices.usual,
      kinds,
      timeline: rows.includes('timeline') ? 0 : null,
      movie: rows.includes('movie') ? made : null,
    };
    try {
      if (kinds.length > 0 || recipe.timeline != null) await api.deliverScene(scene.id, recipe);
      if (recipe.movie) makeSceneMovie(scene, recipe, choices.movies);
    } catch (error) {
      tell(error);
    }
  };
  return (
    <>
      {ROWS.map(([row, title, text]) => (
        <Checkbox
          key={row}
          data-testid={`scene-${row}`}
          checked={rows.includes(row)}
          onChange={(event) =>
            choose(event.currentTarget.checked ? [...rows, row] : rows.filter((r) => r !== row))
          }
          label={
            <span>
              <b>{title}</b> <span className="soft small">{text}</span>
            </span>
          }
        />
      ))}
      {rows.includes('movie') && (
        <MoviePart
          whole
          choices={choices}
          recipe={{ ...choices.usual, movie: made }}
          change={({ movie }) => strip((s) => ({ order: { ...s.order, movie: movie ?? null } }))}
        />
      )}
      <Press
        kind="main"
        testId="deliver-scene"
        disabled={rows.length === 0 || scene.turns.length === 0}
        onClick={() => void deliver()}
      >
        Deliver the scene
      </Press>
      {movies.map((m) => (
        <MovieRow key={m.id} job={m} name={scene.name} />
      ))}
      {running.map((j) => (
        <JobRow key={j.id} job={j} name={scene.name} />
      ))}
      {out.length > 0 && (
        <div className={css.out} data-testid="scene-out">
          <h2>
            Out{' '}
            <span className={out.some((f) => f.changed) ? css.changed : css.current}>
              {out.some((f) => f.changed) ? 'changed since' : '✓ current'}
            </span>
          </h2>
          <FileList files={out} />
        </div>
      )}
    </>
  );
}
