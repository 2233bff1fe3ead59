import { useQuery } from '@tanstack/react-query';
import { type LineSummary, type Recipe, api, sentence } from '../api/client';
import { produce } from '../api/production';
import { rateName } from '../score/time';
import { Choice } from '../widgets/Choice';
import { NumberField } from '../widgets/NumberField';
import { Pick } from '../widgets/Pick';
import { Problem } from '../widgets/Problem';
import { RateField } from '../widgets/RateField';
import css from './DeliverPage.module.css';

const SAME = 'same';
/** Rates that files are written at, beside the line's own. */
const RATES = ['12', '24', '25', '29.97', '30', '48', '50', '60', '120'];

/** On which frames it goes out: the production's, and how long. */
export function FramesPart({
  recipe,
  change,
  lines,
}: {
  recipe: Recipe;
  change: (recipe: Recipe) => void;
  lines: LineSummary[];
}) {
  const production = useQuery({ queryKey: ['production'], queryFn: api.production });
  const longest = lines.reduce<LineSummary | null>((a, b) => (a && a.duration >= b.duration ? a : b), null);
  const asked = useQuery({
    queryKey: ['names', longest?.id, recipe, production.data?.grid],
    queryFn: () => (longest ? api.deliveryNames(longest.id, recipe) : null),
    staleTime: 0,
    retry: false,
  });
  const grid = production.data?.grid;
  if (!grid) return null;
  const { length } = recipe;
  const says = asked.data;
  return (
    <section>
      <h2>On which frames</h2>
      <div className={css.row}>
        <RateField
          value={rateName(grid)}
          onChange={(next) => void produce({ do: 'grid', rate: next, first: grid.first })}
        />
        <NumberField
          labelled
          label="first frame"
          testId="first-frame"
          digits={0}
          step={1}
          width={80}
          value={grid.first}
          onChange={(first) => void produce({ do: 'grid', rate: `${grid.rate.num}/${grid.rate.den}`, first })}
        />
        <Choice
          label="How long"
          value={length.of}
          options={[
            ['sound', 'Sound and tail'],
            ['body', 'Whole body clip'],
            ['frames', 'Range'],
          ]}
          onChange={(of) =>
            change({
              ...recipe,
              length:
                of === 'frames'
                  ? { of, first: says?.first_frame ?? grid.first, last: says?.last_frame ?? grid.first + 100 }
                  : { of },
            })
          }
        />
        {length.of === 'frames' && (
          <>
            <NumberField
              label="first frame of the range"
              digits={0}
              step={1}
              width={70}
              value={length.first}
              onChange={(first) => change({ ...recipe, length: { ...length, first } })}
            />
            <NumberField
              labelled
              label="to"
              digits={0}
              step={1}
              width={70}
              value={length.last}
              onChange={(last) => change({ ...recipe, length: { ...length, last } })}
            />
          </>
        )}
      </div>
      <div className={css.row}>
        <Pick
          labelled
          label="written at"
          testId="file-rate"
          value={recipe.rate ?? SAME}
          options={[[SAME, 'the same rate'], ...RATES.map((r) => [r, `${r} a second`] as const)]}
          onChange={(rate) => change({ ...recipe, rate: rate === SAME ? null : rate })}
        />
        {asked.error ? (
          <Problem>{sentence(asked.error)}</Problem>
        ) : (
          <p className="soft small num">
            {longest && says
              ? `Line ${longest.number} goes from ${says.first_frame} to ${says.last_frame}; its sound ends at ${says.last_sound_frame}.`
              : 'Rate and first frame are the production’s; every line keeps to them.'}
          </p>
        )}
      </div>
    </section>
  );
}
