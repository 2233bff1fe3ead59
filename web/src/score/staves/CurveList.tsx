import { IconBookmark, IconBookmarkOff, IconSearch } from '@tabler/icons-react';
import { useQuery } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { type ControlName, type LineView, api, queries } from '../../api/client';
import { longName, plain, regionColour } from '../../cast/words';
import { type Listed, get, set } from '../../state';
import { Hint } from '../../widgets/Hint';
import { Pick } from '../../widgets/Pick';
import { TextField } from '../../widgets/TextField';
import { tell } from '../../widgets/tell';
import { useFrame } from '../../widgets/useFrame';
import { choose, howOf, keysOf, pressed } from '../chosen';
import { played, touchesOf } from '../hand';
import * as player from '../player';
import { GUTTER, type Stave } from './axis';
import css from './CurveList.module.css';
import type { Listing } from './curves';
import { CloseTriangle } from './Names';

const LISTED: [Listed, string][] = [
  ['moving', 'mouth: what moves'],
  ['face', 'face: what moves'],
  ['touched', 'touched by hand'],
  ['all', 'everything'],
  ['jaw', 'jaw'],
  ['lips', 'lips'],
  ['tongue', 'tongue'],
  ['cheeks', 'cheeks and nose'],
  ['eyes', 'lids, brows, gaze'],
  ['lids', 'lids'],
  ['brows', 'brows'],
  ['gaze', 'gaze'],
  ['head', 'head'],
];

interface Props {
  line: LineView;
  stave: Stave;
  all: Listing[];
  text: string;
  onText: (text: string) => void;
  listed: Listed;
  curves: ControlName[];
}

/** The names of the curves that are shown, with their values at the playhead; several are chosen with Ctrl or Shift. */
export function CurveList({ line, stave, all, text, onText, listed, curves }: Props) {
  const list = useRef<HTMLDivElement>(null);
  const sets = useQuery({ queryKey: ['curveSets'], queryFn: api.curveSets });
  const [asking, setAsking] = useState<'find' | 'name' | null>(null);
  const keepSet = (name: string, controls: ControlName[]) =>
    api
      .keepCurveSet(name, controls)
      .then((all) => queries.setQueryData(['curveSets'], all))
      .catch(tell);
  const touched = new Set(touchesOf(line).map((t) => t.control));
  // Values at the playhead are written without React.
  useFrame(() => {
    const time = player.now();
    for (const cell of list.current?.querySelectorAll<HTMLElement>('[data-value]') ?? []) {
      const value = plain(Math.round(played(cell.dataset.value ?? '', time) * 100) / 100);
      if (cell.textContent !== value) cell.textContent = value;
    }
  });
  const ids = all.map((_, i) => i);
  const roving = Math.max(
    0,
    all.findIndex((one) => one.name === curves.at(-1)),
  );
  const press = (i: number, event: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }) => {
    const how = howOf(event);
    const now = curves.flatMap((c) => all.findIndex((one) => one.name === c)).filter((k) => k >= 0);
    const alone = how === 'alone' && curves.length === 1 && now[0] === i;
    const next = alone ? [] : pressed(now, i, how, ids).flatMap((k) => all[k]?.name ?? []);
    if (keysOf(get().chosen).length > 0) choose(null);
    set({ curves: next, bench: get().bench === 'why' ? 'why' : 'curve' });
  };
  const ownSet = listed.startsWith('set ');
  return (
    <div className={css.list} style={{ top: stave.top, height: stave.height, width: GUTTER }} ref={list}>
      <div className={css.head}>
        <CloseTriangle />
        <div className={css.pick}>
          <Pick
            label="Which curves are listed"
            testId="listed"
            value={listed}
            options={[
              ...LISTED,
              ...(sets.data ?? []).map((s) => [`set ${s.name}` as Listed, s.name] as const),
            ]}
            onChange={(listed) => set({ listed })}
          />
        </div>
        <Hint says="Find a curve">
          <button
            className={css.icon}
            aria-label="Find a curve"
            aria-expanded={asking === 'find'}
            onClick={() => setAsking(asking === 'find' ? null : 'find')}
          >
            <IconSearch size={14} />
          </button>
        </Hint>
        <Hint says={ownSet ? 'Delete this list' : 'Keep the curves that are listed now under a name'}>
          <button
            className={css.icon}
            aria-label={ownSet ? 'Delete this list' : 'Keep this list'}
            data-testid="keep-set"
            onClick={() => {
              if (!ownSet) return setAsking(asking === 'name' ? null : 'name');
              void keepSet(listed.slice(4), []);
              set({ listed: 'moving' });
            }}
          >
            {ownSet ? <IconBookmarkOff size={14} /> : <IconBookmark size={14} />}
          </button>
        </Hint>
      </div>
      {(asking === 'find' || text) && (
        <input
          className={css.find}
          autoFocus
          aria-label="Find a curve"
          placeholder="find a curve"
          value={text}
          onChange={(event) => onText(event.target.value)}
          onKeyDown={(event) => {
            if (event.key !== 'Escape') return;
            onText('');
            setAsking(null);
          }}
        />
      )}
      {asking === 'name' && (
        <TextField
          label="Name of the list of curves"
          placeholder="keep these as …"
          testId="set-name"
          autoFocus
          onSubmit={(name) => {
            setAsking(null);
            void keepSet(
              name,
              all.map((one) => one.name),
            );
          }}
        />
      )}
      <div
        className={css.names}
        role="listbox"
        aria-label="Curves"
        aria-multiselectable
        onKeyDown={(event) => {
          const here = Number((event.target as HTMLElement).dataset.place);
          const to = { ArrowUp: here - 1, ArrowDown: here + 1, Home: 0, End: all.length - 1 }[event.key];
          if (event.key === ' ' || event.key === 'Enter') press(here, event);
          else if (to === undefined || !all[to]) return;
          else {
            press(to, event);
            event.currentTarget.querySelector<HTMLElement>(`[data-place="${to}"]`)?.focus();
          }
          event.preventDefault();
          event.stopPropagation();
        }}
      >
        {all.map((one, i) => (
          <div
            key={one.name}
            className={css.name}
            role="option"
            tabIndex={i === roving ? 0 : -1}
            aria-selected={curves.includes(one.name)}
            data-place={i}
            data-testid={`curve-${one.name}`}
            onClick={(event) => press(i, event)}
          >
            <i style={{ background: regionColour(one.region), height: touched.has(one.name) ? 4 : 2 }} />
            <span>{longName(one.name)}</span>
            <b data-value={one.name} />
          </div>
        ))}
      </div>
    </div>
  );
}
