import { useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { type ControlName, type LineView, type Pose, api, queries, tell } from '../api/client';
import { perform, performNothing } from '../api/live';
import { longName } from '../cast/words';
import { Slide } from './LayerParts';
import { MOODS, addMood } from './layers';
import * as player from './player';

/** Makes a mood of the production's own: shares of others, and controls on top; the stage shows it at the playhead. */
export function MixPart({ line }: { line: LineView }) {
  const [open, setOpen] = useState(false);
  return open ? (
    <Mix line={line} onDone={() => setOpen(false)} />
  ) : (
    <button
      className="button"
      style={{ alignSelf: 'flex-start' }}
      data-testid="mix"
      onClick={() => setOpen(true)}
    >
      Mix a mood of your own …
    </button>
  );
}

function Mix({ line, onDone }: { line: LineView; onDone: () => void }) {
  const [shares, setShares] = useState<Record<string, number>>({});
  const [values, setValues] = useState<Partial<Record<ControlName, number>>>({});
  const [name, setName] = useState('');
  const vocabulary = useQuery({ queryKey: ['vocabulary'], queryFn: api.vocabulary, staleTime: Infinity });
  const controls = vocabulary.data?.controls ?? [];
  const { id } = line.summary;
  const pose = (title: string): Pose => ({
    name: title,
    of: Object.entries(shares).filter(([, share]) => share > 0),
    values: Object.entries(values).filter(([, v]) => v !== 0) as Pose['values'],
  });
  const now = JSON.stringify(pose('tried'));

  // The stage shows it at the playhead as long as it is mixed.
  useEffect(() => {
    let running = true;
    const tick = () => {
      if (!running) return;
      const time = player.now();
      perform({
        perform: id,
        time,
        laid: 'add',
        pad: 'pose',
        pose: JSON.parse(now) as Pose,
        x: 0,
        y: 0,
        regions: [],
      });
      requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
    return () => {
      running = false;
    };
  }, [id, now]);
  useEffect(() => performNothing, []);

  const keep = () => {
    const title = name.trim();
    api
      .keepMix(pose(title))
      .then((all) => {
        queries.setQueryData(['poses'], all);
        const kept = all.find((p) => p.name === title);
        if (kept) addMood({ pose: kept }, undefined, 1);
        onDone();
      })
      .catch(tell);
  };
  return (
    <div className="mix" data-testid="mixing">
      <div className="layer-head">
        <b>A mood of your own</b>
        <button className="quiet" style={{ marginLeft: 'auto' }} onClick={onDone}>
          Let it be
        </button>
      </div>
      <div className="diction">
        {MOODS.map((mood) => (
          <Slide
            key={mood}
            title={mood}
            value={shares[mood] ?? 0}
            testId={`mix-${mood}`}
            onChange={(share) => setShares({ ...shares, [mood]: share })}
          />
        ))}
        {(Object.keys(values) as ControlName[]).map((control) => {
          const { low, high } = controls.find((c) => c.name === control) ?? { low: 0, high: 1 };
          return (
            <Slide
              key={control}
              title={longName(control)}
              low={low}
              high={high}
              value={values[control] ?? 0}
              show={(v) => (high > 1 ? `${v.toFixed(0)}°` : `${Math.round(v * 100)} %`)}
              onChange={(v) => setValues({ ...values, [control]: v })}
            />
          );
        })}
      </div>
      <select
        className="field small"
        aria-label="A control on top"
        data-testid="mix-control"
        value=""
        onChange={(e) => setValues({ ...values, [e.target.value]: 0 })}
      >
        <option value="">and a control on top …</option>
        {controls
          .filter((c) => values[c.name] === undefined)
          .map((c) => (
            <option key={c.name} value={c.name}>
              {longName(c.name)}
            </option>
          ))}
      </select>
      <form
        className="sound-part-row"
        onSubmit={(event) => {
          event.preventDefault();
          keep();
        }}
      >
        <input
          className="field small"
          style={{ flex: 1, minWidth: 70 }}
          placeholder="its name: fed up"
          aria-label="Name of the mood"
          data-testid="mix-name"
          maxLength={60}
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <button className="button main" disabled={!name.trim()} data-testid="keep-mix">
          Keep and add
        </button>
      </form>
    </div>
  );
}
