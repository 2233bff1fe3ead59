import { TextInput } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { type LineSummary, api, speaks } from '../api/client';
import { get, go, set, useView } from '../state';
import { Long } from '../widgets/Long';
import { Pick } from '../widgets/Pick';
import { Press } from '../widgets/Press';
import { tell } from '../widgets/tell';
import { count } from '../widgets/words';
import { EVERYTHING, type Filter, filtered, findingsOf } from './filter';
import { LineRow } from './LineRow';
import css from './LinesPage.module.css';
import { BatchBars } from './many/BatchBar';
import { Welcome } from './Welcome';
import { WholeMenu } from './WholeMenu';

/** Height of a row, pixels. */
const ROW = 40;

/** A length as people say it. */
function lengthOf(seconds: number): string {
  if (seconds < 600) return `${seconds.toFixed(1)} s`;
  const minutes = Math.round(seconds / 60);
  return minutes < 100 ? `${minutes} min` : `${(minutes / 60).toFixed(1)} h`;
}

export function LinesList({ all }: { all: LineSummary[] }) {
  const [filter, setFilter] = useState(EVERYTHING);
  const scenes = useQuery({ queryKey: ['scenes'], queryFn: api.scenes });
  const shown = useMemo(() => filtered(all, filter, scenes.data ?? []), [all, filter, scenes.data]);
  // What is not seen is not marked: nobody would know that it is changed, too.
  const show = (next: Filter) => {
    setFilter(next);
    const seen = new Set(filtered(all, next, scenes.data ?? []).map((l) => l.id));
    set({ marked: get().marked.filter((id) => seen.has(id)) });
  };
  const total = all.reduce((sum, l) => sum + l.duration, 0);
  const timed = all.filter(speaks).length;
  return (
    <section className={css.list}>
      <div className={css.head}>
        <h1>Lines</h1>
        <span className="soft">
          {count(all.length, 'line')} · {lengthOf(total)} · {timed} timed
        </span>
        <span className={css.actions}>
          <WholeMenu />
          <Press gives="wordList" cap onClick={() => set({ wordList: true })}>
            Word list
          </Press>
          <Press kind="main" gives="addLine" cap onClick={() => set({ adding: [] })}>
            Add a line
          </Press>
        </span>
      </div>
      <BatchBars lines={all} />
      {all.length === 0 ? (
        <Welcome />
      ) : (
        <>
          <Filters all={all} shown={shown} filter={filter} onChange={show} />
          <Rows all={all} shown={shown} />
          <button className={css.drop} onClick={() => set({ adding: [] })}>
            Drop recordings here: one, many, a folder or a zip, with texts or a table beside them. Nothing is
            cut; time zero stays where a recording starts.
          </button>
        </>
      )}
    </section>
  );
}

function Filters(props: {
  all: LineSummary[];
  shown: LineSummary[];
  filter: Filter;
  onChange: (filter: Filter) => void;
}) {
  const { all, shown, filter, onChange } = props;
  const scenes = useQuery({ queryKey: ['scenes'], queryFn: api.scenes });
  const change = (part: Partial<Filter>) => onChange({ ...filter, ...part });
  const who = [...new Set(all.map((l) => l.character ?? '–'))].sort();
  const findings = findingsOf(all);
  const unchecked = shown.filter((l) => speaks(l) && l.findings == null);
  const marked = useView((s) => s.marked);
  return (
    <div className={css.filters}>
      <TextInput
        type="search"
        w={210}
        placeholder="Search text, name or character"
        aria-label="Search text, name or character"
        value={filter.search}
        onChange={(event) => change({ search: event.target.value })}
      />
      <Pick
        label="How far they are"
        testId="filter-state"
        value={filter.state}
        options={[
          ['all', 'in any state'],
          ['look', 'with something to look at'],
          ['open', 'not timed yet'],
          ['heard', 'heard, without a text'],
          ['timed', 'timed'],
          ...(findings.length > 0 ? [['findings', 'with findings'] as const] : []),
          ...findings.map(([title, n]) => [`finding ${title}` as const, `${title} (${n})`] as const),
        ]}
        onChange={(state) => change({ state })}
      />
      <Pick
        label="Who says them"
        testId="filter-character"
        value={filter.character}
        options={[['', 'everyone'] as const, ...who.map((name) => [name, name] as const)]}
        onChange={(character) => change({ character })}
      />
      {(scenes.data ?? []).length > 0 && (
        <Pick
          label="In which scene"
          testId="filter-scene"
          value={filter.scene}
          options={[
            ['', 'any scene'] as const,
            ...(scenes.data ?? []).map((s) => [String(s.id), s.name] as const),
          ]}
          onChange={(scene) => change({ scene })}
        />
      )}
      {shown.length < all.length && (
        <span className="soft" role="status" data-testid="shown">
          {shown.length} shown{' '}
          <Press kind="link" onClick={() => onChange(EVERYTHING)}>
            show all
          </Press>
        </span>
      )}
      <span className={css.actions}>
        {unchecked.length > 0 && (
          <Press
            kind="quiet"
            testId="check-lines"
            hint="Goes through the check lists of the lines shown; then they can be filtered by what was found"
            onClick={() => void api.checkLines(unchecked.map((l) => l.id)).catch(tell)}
          >
            Check {count(unchecked.length, 'line')}
          </Press>
        )}
        {marked.length < shown.length && shown.length > 1 && (
          <Press
            kind="quiet"
            testId="mark-all"
            hint="To change them together"
            onClick={() => set({ marked: shown.map((l) => l.id) })}
          >
            Mark all
          </Press>
        )}
      </span>
    </div>
  );
}

function Rows({ all, shown }: { all: LineSummary[]; shown: LineSummary[] }) {
  const chosen = useView((s) => s.line);
  const marked = useView((s) => s.marked);
  const isMarked = useMemo(() => new Set(marked), [marked]);
  const here = shown.findIndex((l) => l.id === chosen);
  const walk = (event: React.KeyboardEvent) => {
    if (event.target instanceof HTMLInputElement && event.target.type !== 'checkbox') return;
    const to = { ArrowUp: here - 1, ArrowDown: here + 1, Home: 0, End: shown.length - 1 }[event.key];
    const at = to === undefined ? undefined : Math.max(0, Math.min(shown.length - 1, to));
    const next = at === undefined ? undefined : shown[at];
    if (event.key === 'Enter' && chosen !== null) go('score', chosen);
    else if (event.key === 'Escape' && marked.length > 0) set({ marked: [] });
    else if (event.key.toLowerCase() === 'a' && (event.ctrlKey || event.metaKey)) {
      set({ marked: shown.map((l) => l.id) });
    } else if (next && at !== undefined) {
      if (event.shiftKey && chosen !== null) {
        set({ line: next.id, marked: [...new Set([...marked, chosen, next.id])] });
      } else set({ line: next.id, marked: [] });
      const list = event.currentTarget;
      // It is drawn once the list has scrolled to it.
      requestAnimationFrame(() => list.querySelector<HTMLElement>(`[data-line="${next.id}"]`)?.focus());
    } else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const focused = here < 0 ? shown[0]?.id : chosen;
  return (
    <Long
      role="listbox"
      label="Lines"
      several
      rows={shown}
      height={ROW}
      at={Math.max(here, 0)}
      onKeyDown={walk}
      empty={<p className={css.none}>No line is like that; search for less, or show all.</p>}
    >
      {(l, place, style) => (
        <LineRow
          key={l.id}
          line={l}
          all={all}
          chosen={l.id === focused}
          marked={isMarked.has(l.id)}
          selected={marked.length > 0 ? isMarked.has(l.id) : l.id === focused}
          style={style}
          shown={shown}
          here={place}
        />
      )}
    </Long>
  );
}
