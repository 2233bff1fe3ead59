import { Checkbox, Slider, TextInput } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { memo, useEffect, useRef, useState } from 'react';
import { type CastDetail, type ControlView, api } from '../api/client';
import { Hint } from '../widgets/Hint';
import { Press } from '../widgets/Press';
import css from './ControlsPanel.module.css';
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
    <section className={css.controls}>
      <div className={css.bar}>
        <TextInput
          className={css.search}
          type="search"
          placeholder="Find a control"
          aria-label="Find a control"
          value={search}
          onChange={(e) => setSearch(e.target.value)}
        />
        <Checkbox
          label="Both sides"
          checked={both}
          onChange={(e) => usePose.setState({ both: e.currentTarget.checked })}
        />
        {walking ? (
          <Press kind="main" gives="walk" cap testId="walk" onClick={stopWalk}>
            Stop
          </Press>
        ) : (
          <>
            <Press
              kind="main"
              gives="walk"
              cap
              testId="walk"
              hint="Every control, every sound, then a short line"
              onClick={() => void startWalk()}
            >
              Test walk
            </Press>
            <Press hint="Every sound, one after another" onClick={() => void startWalk('sound')}>
              Sounds
            </Press>
            <Press hint="A short line that holds every English sound" onClick={() => void startWalk('line')}>
              Line
            </Press>
          </>
        )}
        <Press gives="rest" testId="at-rest" onClick={() => atRest(member.id)}>
          At rest
        </Press>
      </div>
      <div className={css.regions} role="group" aria-label="Regions">
        {REGIONS.map((r) => (
          <Press
            key={r}
            kind="chip"
            pressed={region === r}
            leftSection={<i className={css.swatch} style={{ background: regionColour(r) }} />}
            onClick={() => setRegion(region === r ? null : r)}
          >
            {r}
          </Press>
        ))}
      </div>
      <div className={css.groups}>
        <div className={css.columns}>
          {REGIONS.map((r) => {
            const own = controls.filter((c) => c.region === r);
            if (own.length === 0) return null;
            return (
              <div
                key={r}
                className={css.group}
                style={{ '--slide': regionColour(r), '--text': `var(--${r}-text)` } as React.CSSProperties}
              >
                <h3>{r}</h3>
                {own.every(drawn) && <p className={css.drawn}>in the whole mouths</p>}
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
  const why = missing ? `${missing.cost}${standIn ? `; instead: ${standIn}` : ''}` : longName(name);
  return (
    <div
      ref={row}
      className={css.control}
      data-chosen={chosen || undefined}
      data-played={played || undefined}
      data-testid={`control-${name}`}
      onClick={() => usePose.setState({ chosen: name })}
      onFocus={() => usePose.setState({ chosen: name })}
    >
      <Hint says={why}>
        <span className={css.label}>{shortName(name)}</span>
      </Hint>
      {gone ? (
        <span className={css.gone}>not in this face</span>
      ) : (
        <Slider
          className={standIn ? css.standsIn : undefined}
          thumbLabel={longName(name)}
          size={standIn ? 2 : 5}
          thumbSize={12}
          min={low}
          max={high}
          step={(high - low) / 200}
          startPointValue={low < 0 ? 0 : undefined}
          value={value}
          onChange={(v) => setControl(member, name, v)}
          onDoubleClick={() => setControl(member, name, 0)}
        />
      )}
      <span className={css.number}>{gone ? '' : plain(value)}</span>
    </div>
  );
});
