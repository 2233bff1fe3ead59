import { Checkbox } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import type { DeliveryChoices, Movie, Recipe } from '../api/client';
import { Choice } from '../widgets/Choice';
import { Pick } from '../widgets/Pick';
import { type Way, wayOf } from './movie';
import css from './DeliverPage.module.css';

const SIZES = ['640×360', '1280×720', '1920×1080', '720×720', '1080×1920'] as const;

/** Which way a movie goes, said before it is made. */
const WAYS: Record<Way, string> = {
  here: 'Made in this page, frame by frame, the sound exact to the sample.',
  server: 'This browser cannot encode it; its pictures go to ffmpeg on the server.',
  pictures: 'Pictures and sound in a zip, for a program that puts them together.',
};
const NEITHER =
  'Neither this browser (it may encode only for pages of this machine) nor the server (it has no ffmpeg) can encode it: pictures and sound in a zip.';

export function MoviePart({
  recipe,
  change,
  choices,
  whole,
}: {
  recipe: Recipe;
  change: (recipe: Recipe) => void;
  choices: DeliveryChoices;
  /** Of a scene, which shows all of them. */
  whole?: boolean;
}) {
  const movie = recipe.movie ?? choices.movie;
  const server = choices.movies;
  const set = (by: Partial<Movie>) => change({ ...recipe, movie: { ...movie, ...by } });
  const way = useQuery({
    queryKey: ['movie', movie.file, movie.width, movie.height, server],
    queryFn: () => wayOf(movie, server),
  });
  const size = `${movie.width}×${movie.height}`;
  const sizes = SIZES.some((s) => s === size) ? SIZES : [size, ...SIZES];
  const says = way.data === 'pictures' && movie.file !== 'pictures' ? NEITHER : way.data && WAYS[way.data];
  return (
    <div className={css.options}>
      {!whole && (
        <Choice
          label="What it shows"
          value={movie.view}
          options={[
            ['both', 'Face and mouth'],
            ['face', 'Face'],
            ['mouth', 'Mouth'],
          ]}
          onChange={(view) => set({ view })}
        />
      )}
      <Pick
        labelled
        label="as"
        value={movie.file}
        options={[
          ['mov', 'MOV, sound as it is'],
          ['mp4', 'MP4'],
          ['webm', 'WebM'],
          ['pictures', 'pictures in a zip'],
        ]}
        onChange={(file) => set({ file })}
      />
      <Pick
        labelled
        label="size"
        value={size}
        options={sizes.map((s) => [s, s] as const)}
        onChange={(to) => {
          const [width = 1280, height = 720] = to.split('×').map(Number);
          set({ width, height });
        }}
      />
      <span className={css.burnt}>
        {(['frame', 'word', 'name'] as const).map((what) => (
          <Checkbox
            key={what}
            label={what}
            checked={movie[what]}
            onChange={(event) => set({ [what]: event.currentTarget.checked })}
          />
        ))}
        <span className="soft small">burnt in</span>
      </span>
      <p className="soft small" data-testid="movie-way">
        {says ?? 'Asking the browser what it can encode …'}
      </p>
    </div>
  );
}
