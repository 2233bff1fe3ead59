import { Checkbox } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import {
  type DeliveryChoices,
  type FileKind,
  type LineSummary,
  type Recipe,
  api,
  sentence,
} from '../api/client';
import { Choice } from '../widgets/Choice';
import { NumberField } from '../widgets/NumberField';
import { Pick } from '../widgets/Pick';
import { Press } from '../widgets/Press';
import { Problem } from '../widgets/Problem';
import { sizeOf } from '../widgets/words';
import { MoviePart } from './MoviePart';
import { GAP, type Row, goesOut, order, useOrder, withRow } from './order';
import { SheetTable } from './SheetTable';
import css from './DeliverPage.module.css';

/** Both columns from top to bottom. */
const COLUMNS: [string, Row[]][][] = [
  [
    ['Motion', ['glb', 'usd', 'usd-cache', 'bvh']],
    ['Sheets and words', ['sheet', 'vtt', 'srt', 'tiers']],
  ],
  [
    ['Curves', ['curves', 'csv', 'csv-long', 'capture', 'keys']],
    ['Picture and sound', ['movie', 'wav', 'timeline']],
  ],
];

const OWN = {
  movie: { title: 'Preview movie', text: 'made in this page: picture, sound, frame numbers burnt in' },
  timeline: { title: 'Timeline', text: 'OpenTimelineIO: the lines in their order, movies and sounds' },
} as const;

interface Props {
  choices: DeliveryChoices;
  recipe: Recipe;
  change: (recipe: Recipe) => void;
  /** The line that is shown as an example. */
  line: LineSummary | undefined;
}

export function KindsPart({ choices, recipe, change, line }: Props) {
  const wordsOf = (row: Row) =>
    row === 'movie' || row === 'timeline' ? OWN[row] : choices.kinds.find((k) => k.kind === row);
  return (
    <div className={css.groups}>
      {COLUMNS.map((groups) => (
        <div key={groups[0]?.[0]}>
          {groups.map(([title, rows]) => (
            <section key={title} className={css.group}>
              <h2>{title}</h2>
              {rows.map((row) => (
                <Kind
                  key={row}
                  row={row}
                  title={wordsOf(row)?.title ?? row}
                  text={wordsOf(row)?.text ?? ''}
                  recipe={recipe}
                  change={change}
                  line={line}
                  choices={choices}
                />
              ))}
            </section>
          ))}
        </div>
      ))}
    </div>
  );
}

function Kind({
  row,
  title,
  text,
  recipe,
  change,
  line,
  choices,
}: {
  row: Row;
  title: string;
  text: string;
  recipe: Recipe;
  change: (recipe: Recipe) => void;
  line: LineSummary | undefined;
  choices: DeliveryChoices;
}) {
  const unfolded = useOrder((s) => s.unfolded === row);
  const on = goesOut(recipe, row);
  return (
    <div className={css.kind} data-on={on || undefined}>
      <div className={css.row}>
        <Checkbox
          data-testid={`kind-${row}`}
          checked={on}
          onChange={(event) => change(withRow(recipe, row, event.currentTarget.checked, choices))}
          label={
            <span>
              <b>{title}</b>
              <span className={css.kindText}>{text}</span>
            </span>
          }
        />
        <Press
          kind="quiet"
          aria-label={`${unfolded ? 'Fold' : 'Look'}: ${title}`}
          aria-expanded={unfolded}
          testId={`unfold-${row}`}
          onClick={() => order({ unfolded: unfolded ? null : row })}
        >
          {unfolded ? 'Fold' : 'Look'}
        </Press>
      </div>
      {unfolded && (
        <div className={css.fold}>
          {row === 'glb' && <ClipOptions recipe={recipe} change={change} />}
          {row === 'movie' && <MoviePart recipe={recipe} change={change} choices={choices} />}
          {row === 'timeline' && (
            <NumberField
              labelled
              label="frames between two lines"
              digits={0}
              step={1}
              low={0}
              value={recipe.timeline ?? GAP}
              onChange={(timeline) => change({ ...recipe, timeline })}
            />
          )}
          {row === 'sheet' && line && <SheetTable line={line.id} />}
          {row !== 'movie' && row !== 'timeline' && row !== 'sheet' && line && (
            <Preview row={row} line={line} recipe={recipe} />
          )}
        </div>
      )}
    </div>
  );
}

function ClipOptions({ recipe, change }: { recipe: Recipe; change: (recipe: Recipe) => void }) {
  const { clip } = recipe;
  const set = (by: Partial<Recipe['clip']>) => change({ ...recipe, clip: { ...clip, ...by } });
  return (
    <div className={css.options}>
      <Choice
        label="Files"
        value={recipe.together ? 'together' : 'apart'}
        options={[
          ['apart', 'One file a line'],
          ['together', 'One a character, a clip a line'],
        ]}
        onChange={(to) => change({ ...recipe, together: to === 'together' })}
      />
      <Choice
        label="Surfaces"
        value={clip.mesh ? 'with' : 'without'}
        options={[
          ['with', 'With the mesh'],
          ['without', 'Motion only'],
        ]}
        onChange={(to) => set({ mesh: to === 'with' })}
      />
      <Pick
        labelled
        label="between keys"
        value={clip.interpolation}
        options={[
          ['linear', 'straight'],
          ['step', 'held'],
          ['cubic', 'smooth'],
        ]}
        onChange={(interpolation) => set({ interpolation })}
      />
      <Pick
        labelled
        label="keys"
        value={clip.thin == null ? 'all' : String(clip.thin)}
        options={[
          ['all', 'one a frame'],
          ['0.001', 'within .001'],
          ['0.005', 'within .005'],
          ['0.02', 'within .02'],
        ]}
        onChange={(to) => set({ thin: to === 'all' ? null : Number(to) })}
      />
    </div>
  );
}

/** How the files of a line would begin. */
function Preview({ row, line, recipe }: { row: FileKind; line: LineSummary; recipe: Recipe }) {
  const [shown, show] = useState(0);
  const preview = useQuery({
    queryKey: ['preview', row, line.id, recipe],
    queryFn: () => api.deliveryPreview(line.id, row, recipe),
    staleTime: 0,
    retry: false,
  });
  if (preview.error) return <Problem>{sentence(preview.error)}</Problem>;
  const files = preview.data;
  if (!files) return <p className="soft small">Making it for line {line.number} …</p>;
  const one = files[Math.min(shown, files.length - 1)];
  return (
    <div className={css.preview}>
      <div className={css.files}>
        {files.map((f, i) => (
          <button key={f.name} aria-pressed={f === one} onClick={() => show(i)}>
            {f.name.split('/').pop()} <span>{sizeOf(f.size)}</span>
          </button>
        ))}
      </div>
      {one?.head != null ? (
        <pre tabIndex={0} aria-label={`How ${one.name} begins`}>
          {one.head}
        </pre>
      ) : (
        <p className="soft small">No text; see it after delivery under “Out”.</p>
      )}
    </div>
  );
}
