import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { type CastDetail, type Chart, api } from '../api/client';
import { NumberField } from '../widgets/NumberField';
import { Pick } from '../widgets/Pick';
import { Press } from '../widgets/Press';
import css from './ChartPanel.module.css';
import { rewire } from './edit';
import { showMouth, usePose } from './pose';

/** Whole mouths that are swapped: what each is for. */
export function ChartPanel({ detail }: { detail: CastDetail }) {
  const { member } = detail;
  const vocabulary = useQuery({ queryKey: ['vocabulary'], queryFn: api.vocabulary, staleTime: Infinity });
  const shown = usePose((s) => s.mouth);
  const chart = member.wiring.chart ?? null;
  const add = (drawing: Chart['drawings'][number]) => void rewire(member.id, { do: 'add_drawing', drawing });
  const kinds = vocabulary.data?.mouth_kinds ?? [];
  if (!chart) {
    return (
      <div className={css.chart}>
        <p className="soft">
          {member.name}’s mouth is moved, not swapped. If the file holds whole mouths, as meshes or as images,
          begin with the one at rest:
        </p>
        <AddDrawing detail={detail} words="Begin a chart" add={add} />
      </div>
    );
  }
  return (
    <div className={css.chart}>
      <div className={css.grid}>
        {kinds.map(({ name, label }) => (
          <div key={name} className={css.kind} data-shown={shown === name || undefined}>
            <button
              className={css.label}
              aria-pressed={shown === name}
              onClick={() => showMouth(member.id, name)}
            >
              {label}
            </button>
            <Pick
              label={`Drawing for ${label}`}
              value={`${chart.kinds[name] ?? ''}`}
              options={[
                ['', 'its nearest'] as const,
                ...chart.drawings.map((d, i) => [`${i}`, d.name] as const),
              ]}
              onChange={(next) => {
                const drawing = chart.drawings[Number(next)];
                const shows = next !== '' && drawing;
                void rewire(member.id, {
                  do: 'show_drawing',
                  kind: name,
                  drawing: shows ? { node: shows.node, image: shows.image } : null,
                });
                showMouth(member.id, name);
              }}
            />
          </div>
        ))}
      </div>
      <div className={css.actions}>
        <NumberField
          labelled
          label="Least hold"
          suffix=" fr"
          digits={0}
          step={1}
          low={0}
          high={24}
          width={58}
          value={chart.hold}
          onChange={(frames) => void rewire(member.id, { do: 'hold', frames })}
        />
        <AddDrawing detail={detail} words="Add a mouth" add={add} />
      </div>
    </div>
  );
}

interface AddProps {
  detail: CastDetail;
  words: string;
  add: (drawing: Chart['drawings'][number]) => void;
}

/** A mesh, or an image shown on one. */
function AddDrawing({ detail, words, add }: AddProps) {
  const { meshes, images } = detail.facts;
  const [node, setNode] = useState(meshes[0]?.node ?? '');
  const [image, setImage] = useState('');
  return (
    <span className={css.add}>
      <Pick
        label="Mesh"
        width={120}
        value={node}
        options={meshes.map((m) => [m.node, m.node] as const)}
        onChange={setNode}
      />
      {images.length > 0 && (
        <Pick
          label="Image"
          width={120}
          value={image}
          options={[['', 'as it is'] as const, ...images.map((name) => [name, name] as const)]}
          onChange={setImage}
        />
      )}
      <Press disabled={!node} onClick={() => add({ name: image || node, node, image: image || null })}>
        {words}
      </Press>
    </span>
  );
}
