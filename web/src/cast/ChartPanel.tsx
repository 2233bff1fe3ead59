import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { type CastDetail, type Chart, api } from '../api/client';
import { rewire } from './edit';
import { NumberField } from './NumberField';
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
      <div className="wiring">
        <p className="soft">
          {member.name}’s mouth is moved, not swapped. If the file holds whole mouths, as meshes or as images,
          begin with the one at rest:
        </p>
        <AddDrawing detail={detail} words="Begin a chart" add={add} />
      </div>
    );
  }
  return (
    <div className="wiring">
      <div className="kind-grid">
        {kinds.map(({ name, label }) => (
          <div key={name} className="mouth-kind" data-shown={shown === name || undefined}>
            <button
              className="label"
              aria-pressed={shown === name}
              onClick={() => showMouth(member.id, name)}
            >
              {label}
            </button>
            <select
              className="field small"
              aria-label={`Drawing for ${label}`}
              value={chart.kinds[name] ?? ''}
              onChange={(e) => {
                const drawing = chart.drawings[Number(e.target.value)];
                const shows = e.target.value !== '' && drawing;
                void rewire(member.id, {
                  do: 'show_drawing',
                  kind: name,
                  drawing: shows ? { node: shows.node, image: shows.image } : null,
                });
                showMouth(member.id, name);
              }}
            >
              <option value="">its nearest</option>
              {chart.drawings.map((d, i) => (
                <option key={`${d.node} ${d.image ?? ''}`} value={i}>
                  {d.name}
                </option>
              ))}
            </select>
          </div>
        ))}
      </div>
      <div className="wire-actions">
        <label className="soft hold">
          Least hold, frames
          <NumberField
            label="Least hold in frames"
            value={chart.hold}
            onChange={(hold) => void rewire(member.id, { do: 'hold', frames: Math.max(0, Math.round(hold)) })}
          />
        </label>
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
    <span className="add-drawing">
      <select
        className="field small"
        aria-label="Mesh"
        value={node}
        onChange={(e) => setNode(e.target.value)}
      >
        {meshes.map((m) => (
          <option key={m.node}>{m.node}</option>
        ))}
      </select>
      {images.length > 0 && (
        <select
          className="field small"
          aria-label="Image"
          value={image}
          onChange={(e) => setImage(e.target.value)}
        >
          <option value="">as it is</option>
          {images.map((name) => (
            <option key={name}>{name}</option>
          ))}
        </select>
      )}
      <button
        className="button"
        disabled={!node}
        onClick={() => add({ name: image || node, node, image: image || null })}
      >
        {words}
      </button>
    </span>
  );
}
