import { useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { type ControlName, type LineView, type Pose, api, queries } from '../../api/client';
import { perform, performNothing } from '../../api/live';
import { longName } from '../../cast/words';
import { Pick } from '../../widgets/Pick';
import { Press } from '../../widgets/Press';
import { DEGREES, SlideRow } from '../../widgets/SlideRow';
import { TextField } from '../../widgets/TextField';
import { tell } from '../../widgets/tell';
import { MOODS, addMood } from '../layers';
import * as player from '../player';
import css from './bench.module.css';

/** Makes a mood of the production's own: shares of others, and controls on top; the stage shows it at the playhead. */
export function Mix({ line, onDone }: { line: LineView; onDone: () => void }) {
  const [shares, setShares] = useState<Record<string, number>>({});
  const [values, setValues] = useState<Partial<Record<ControlName, number>>>({});
  const vocabulary = useQuery({ queryKey: ['vocabulary'], queryFn: api.vocabulary, staleTime: Infinity });
  const controls = vocabulary.data?.controls ?? [];
  const { id } = line.summary;
  const pose = (name: string): Pose => ({
    name,
    of: Object.entries(shares).filter(([, share]) => share > 0),
    values: Object.entries(values).filter(([, v]) => v !== 0) as Pose['values'],
  });
  const now = JSON.stringify(pose('tried'));

  // The stage shows it at the playhead, asked for anew when it or the playhead changed.
  useEffect(() => {
    let last = -1;
    let handle = 0;
    const tried = JSON.parse(now) as Pose;
    const tick = () => {
      const time = player.now();
      if (
        time !== last &&
        perform({ perform: id, time, laid: 'add', pad: 'pose', pose: tried, x: 0, y: 0, regions: [] })
      ) {
        last = time;
      }
      handle = requestAnimationFrame(tick);
    };
    handle = requestAnimationFrame(tick);
    return () => cancelAnimationFrame(handle);
  }, [id, now]);
  useEffect(() => performNothing, []);

  const keep = (name: string) => {
    api
      .keepMix(pose(name))
      .then((all) => {
        queries.setQueryData(['poses'], all);
        const kept = all.find((p) => p.name === name);
        if (kept) addMood({ pose: kept }, undefined, 1);
        onDone();
      })
      .catch(tell);
  };
  const half = MOODS.length / 2;
  const share = (mood: string) => (
    <SlideRow
      key={mood}
      title={mood}
      value={shares[mood] ?? 0}
      testId={`mix-${mood}`}
      onChange={(v) => setShares({ ...shares, [mood]: v })}
    />
  );
  return (
    <>
      <div className={css.column} data-testid="mixing">
        <h3>A mood of your own</h3>
        <div className={css.slides}>{MOODS.slice(0, half).map(share)}</div>
      </div>
      <div className={css.column}>
        <span className={css.note}>The stage shows it at the playhead.</span>
        <div className={css.slides}>{MOODS.slice(half).map(share)}</div>
      </div>
      <div className={css.column}>
        <Pick
          label="A control on top"
          testId="mix-control"
          value=""
          options={[
            ['', 'and a control on top …'] as const,
            ...controls
              .filter((c) => values[c.name] === undefined)
              .map((c) => [c.name, longName(c.name)] as const),
          ]}
          onChange={(control) => control && setValues({ ...values, [control]: 0 })}
        />
        <div className={css.slides}>
          {(Object.keys(values) as ControlName[]).map((control) => {
            const { low, high } = controls.find((c) => c.name === control) ?? { low: 0, high: 1 };
            return (
              <SlideRow
                key={control}
                title={longName(control)}
                low={low}
                high={high}
                value={values[control] ?? 0}
                unit={high > 1 ? DEGREES : undefined}
                onChange={(v) => setValues({ ...values, [control]: v })}
              />
            );
          })}
        </div>
        <TextField
          label="Name of the mood"
          placeholder="its name: fed up"
          testId="mix-name"
          maxLength={60}
          onSubmit={keep}
        >
          {(text) => (
            <Press kind="main" type="submit" disabled={!text.trim()} testId="keep-mix">
              Keep and lay
            </Press>
          )}
        </TextField>
        <Press kind="quiet" onClick={onDone}>
          Cancel
        </Press>
      </div>
    </>
  );
}
