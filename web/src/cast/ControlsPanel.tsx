import { useQuery } from '@tanstack/react-query';
import { memo, useEffect, useRef, useState } from 'react';
import { type CastDetail, type ControlView, api } from '../api/client';
import { atRest, setControl, usePose } from './pose';
import { startWalk, stopWalk, useWalk } from './walk';
import { REGIONS, type Region, longName, plain, regionColour, shortName } from './words';

/** Every control with a slider, by region. */
export function ControlsPanel({ detail }: { detail: CastDetail }) {
  const { member } = detail;
  const vocabulary = useQuery({ queryKey: ['vocabulary'], queryFn: api.vocabulary, staleTime: Infinity });
  const both = usePose((s) => s.both);
  const walking = useWalk((s) => s.step !== null);
  const played = useWalk((s) => {
    const of = s.step === null ? undefined : s.walk?.steps[s.step]?.of;
    return of?.kind === 'control' ? of.control : null;
  });
  const [search, setSearch] = useState('');
  const [region, setRegion] = useState<Region | null>(null);
  const fed = new Set(member.wiring.outputs.flatMap((o) => o.feeds.map((f) => f.control)));
  const missing = new Map(member.missing.map((m) => [m.control, m]));
  // What a character with whole mouths neither has nor misses.
  const drawn = (c: ControlView) => !fed.has(c.name) && !missing.has(c.name);
  const found = (c: ControlView) =>
    (region === null || c.region === region) &&
    `${longName(c.name)} ${c.region}`.includes(search.trim().toLowerCase());
  const controls = vocabulary.data?.controls.filter(found) ?? [];

  return (
    <section className="controls">
      <div className="control-bar">
        <input
          className="search"
          type="search"
          placeholder="Find a control"
          aria-label="Find a control"
          value={search}
          onChange={(e) => setSearch(e.target.value)}
        />
        <label className="both">
          <input
            type="checkbox"
            checked={both}
            onChange={(e) => usePose.setState({ both: e.target.checked })}
          />
          Both sides
        </label>
        {walking ? (
          <button className="button main" data-testid="walk" onClick={stopWalk}>
            Stop<kbd className="key">Space</kbd>
          </button>
        ) : (
          <>
            <button
              className="button main"
              data-testid="walk"
              title="Every control, every sound, then a short line"
              onClick={() => void startWalk()}
            >
              Test walk<kbd className="key">T</kbd>
            </button>
            <button
              className="button"
              title="Every sound, one after another"
              onClick={() => void startWalk('sound')}
            >
              Sounds
            </button>
            <button
              className="button"
              title="A short line that holds every English sound"
              onClick={() => void startWalk('line')}
            >
              Line
            </button>
          </>
        )}
        <button className="button" data-testid="at-rest" onClick={() => atRest(member.id)}>
          At rest
        </button>
      </div>
      <div className="regions" role="group" aria-label="Regions">
        {REGIONS.map((r) => (
          <button
            key={r}
            className="region"
            aria-pressed={region === r}
            onClick={() => setRegion(region === r ? null : r)}
          >
            <span className="swatch" style={{ background: regionColour(r) }} />
            {r}
          </button>
        ))}
      </div>
      <div className="groups">
        <div className="columns">
          {REGIONS.map((r) => {
            const own = controls.filter((c) => c.region === r);
            if (own.length === 0) return null;
            return (
              <div key={r} className="group" style={{ '--c': regionColour(r) } as React.CSSProperties}>
                <h3>{r}</h3>
                {own.every(drawn) && <p className="soft drawn">in the whole mouths</p>}
                {own
                  .filter((c) => !drawn(c))
                  .map((c) => (
                    <ControlRow
                      key={c.name}
                      member={member.id}
                      control={c}
                      missing={missing.get(c.name)}
                      fed={fed.has(c.name)}
                      played={played === c.name}
                    />
                  ))}
              </div>
            );
          })}
          {vocabulary.data && controls.length === 0 && <p className="soft">No control of that name.</p>}
        </div>
      </div>
    </section>
  );
}

interface RowProps {
  member: number;
  control: ControlView;
  missing: CastDetail['member']['missing'][number] | undefined;
  /** Whether anything is wired to it. */
  fed: boolean;
  played: boolean;
}

const ControlRow = memo(function ControlRow({ member, control, missing, fed, played }: RowProps) {
  const { name, low, high } = control;
  const value = usePose((s) => s.controls[name] ?? 0);
  const chosen = usePose((s) => s.chosen === name);
  const row = useRef<HTMLDivElement>(null);
  const standIn = missing?.stand_in;
  const gone = !fed && !standIn;
  useEffect(() => {
    if (played) row.current?.scrollIntoView({ block: 'nearest' });
  }, [played]);
  // From the middle for what goes both ways.
  const place = (v: number) => (100 * (v - low)) / (high - low);
  const [from, to] = [place(Math.min(0, value)), place(Math.max(0, value))];
  const why = missing ? `${missing.cost}${standIn ? `; instead: ${standIn}` : ''}` : longName(name);
  return (
    <div
      ref={row}
      className="control"
      data-chosen={chosen || undefined}
      data-played={played || undefined}
      title={why}
      data-testid={`control-${name}`}
      onClick={() => usePose.setState({ chosen: name })}
    >
      <button className="label" aria-pressed={chosen}>
        {shortName(name)}
      </button>
      {gone ? (
        <span className="gone">not in this face</span>
      ) : (
        <input
          type="range"
          aria-label={longName(name)}
          className={standIn ? 'slider stands-in' : 'slider'}
          style={{ '--from': `${from}%`, '--to': `${to}%` } as React.CSSProperties}
          min={low}
          max={high}
          step={(high - low) / 200}
          value={value}
          onChange={(e) => setControl(member, name, Number(e.target.value))}
          onDoubleClick={() => setControl(member, name, 0)}
        />
      )}
      <span className="num">{gone ? '' : plain(value)}</span>
    </div>
  );
});
