import { gestureOf } from '../api/act';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { type ControlName, type LineView, api, queries, tell } from '../api/client';
import { currentCurves } from '../api/live';
import { longName, plain, regionColour } from '../cast/words';
import { type Listed, get, set, useView } from '../state';
import { Drag, addKey, changeKeys, played, shownAt, touchesOf } from './hand';
import { type Axis, GUTTER, type Stave, toTime, toX } from './layout';
import {
  type Listing,
  type Scale,
  type ShownKey,
  curveAt,
  handles,
  isChosen,
  shownKeys,
  toShare,
  toY,
} from './openStave';
import * as player from './player';

interface Props {
  line: LineView;
  axis: Axis;
  scale: Scale;
  stave: Stave;
  all: Listing[];
  text: string;
  onText: (text: string) => void;
}

const LISTED: [Listed, string][] = [
  ['moving', 'mouth: what moves'],
  ['touched', 'touched by hand'],
  ['all', 'everything'],
  ['jaw', 'jaw'],
  ['lips', 'lips'],
  ['tongue', 'tongue'],
  ['cheeks', 'cheeks and nose'],
  ['lids', 'lids'],
  ['brows', 'brows'],
  ['gaze', 'gaze'],
  ['head', 'head'],
];

/** Pixels within which a key is taken hold of. */
const GRIP = 9;

/** What a press on the stave took hold of. */
type Grip =
  | { what: 'keys'; drag: Drag; time: number; share: number; high: number; moved: boolean }
  | { what: 'tangent'; side: 'before' | 'after'; moved: boolean }
  | { what: 'box'; x: number; y: number };

/** The open stave: which curves are shown, and hands on their keys. */
export function OpenStave({ line, axis, scale, stave, all, text, onText }: Props) {
  const control = useView((s) => s.control);
  const keys = useView((s) => s.keys);
  const listed = useView((s) => s.listed);
  const grip = useRef<Grip | null>(null);
  const [box, setBox] = useState<{ x: number; y: number; w: number; h: number } | null>(null);
  const [hovers, setHovers] = useState(false);

  /** A place on the staves, from an event on this one. */
  const place = (event: React.MouseEvent) => {
    const rect = event.currentTarget.getBoundingClientRect();
    const [x, y] = [event.clientX - rect.left + GUTTER, event.clientY - rect.top + stave.top];
    return { x, y, time: toTime(axis, x), share: toShare(scale, y) };
  };
  const keyAt = (x: number, y: number): ShownKey | undefined =>
    shownKeys(line, axis, scale, all)
      .map((key) => ({ key, far: Math.hypot(key.x - x, key.y - y) - (isChosen(keys, key) ? 2 : 0) }))
      .filter(({ far }) => far < GRIP)
      .sort((a, b) => a.far - b.far)[0]?.key;
  const single = () => {
    const [only] = keys;
    const touch = keys.length === 1 ? touchesOf(line).find((t) => t.id === only?.touch) : undefined;
    const own = all.find((one) => one.name === touch?.control);
    return only && touch && own ? { only, touch, own } : null;
  };
  const tangentAt = (x: number, y: number) => {
    const one = single();
    if (!one) return null;
    return (
      handles(one.touch, one.only.key, axis, scale, one.own).find(
        (h) => Math.hypot(h.x - x, h.y - y) < GRIP,
      ) ?? null
    );
  };

  const down = (event: React.PointerEvent) => {
    if (event.pointerType === 'touch') return;
    const { x, y, time, share } = place(event);
    const tangent = tangentAt(x, y);
    event.currentTarget.setPointerCapture(event.pointerId);
    if (tangent) {
      grip.current = { what: 'tangent', side: tangent.side, moved: false };
      return;
    }
    const key = keyAt(x, y);
    if (key) {
      const chosen = { touch: key.touch, key: key.key };
      if (event.shiftKey) {
        set({ keys: isChosen(keys, key) ? keys.filter((k) => !isChosen([chosen], k)) : [...keys, chosen] });
        return;
      }
      if (!isChosen(keys, key)) set({ keys: [chosen] });
      set({ control: key.control });
      const high = all.find((one) => one.name === key.control)?.high ?? 1;
      grip.current = { what: 'keys', drag: new Drag(), time, share, high, moved: false };
      return;
    }
    grip.current = { what: 'box', x, y };
  };

  const move = (event: React.PointerEvent) => {
    const { x, y, time, share } = place(event);
    const now = grip.current;
    if (!now) {
      setHovers(Boolean(keyAt(x, y) ?? tangentAt(x, y)));
      return;
    }
    if (now.what === 'box') {
      if (Math.hypot(x - now.x, y - now.y) < 4 && !box) return;
      setBox({
        x: Math.min(x, now.x) - GUTTER,
        y: Math.min(y, now.y) - stave.top,
        w: Math.abs(x - now.x),
        h: Math.abs(y - now.y),
      });
      return;
    }
    if (now.what === 'tangent') {
      const one = single();
      if (!one) return;
      const key = one.touch.keys[one.only.key];
      if (!key) return;
      const weight = one.touch.laid === 'add' ? Math.max(one.touch.amount, 0.01) : 1;
      const rise = (share * one.own.high - shownAt(one.touch, key)) / weight;
      changeKeys(
        'turn a tangent of',
        (k) => {
          if (k.shape?.kind !== 'free') return k;
          // Both sides turn together unless Alt is held.
          const other = event.altKey ? k.shape[now.side === 'before' ? 'after' : 'before'] : -rise;
          const shape =
            now.side === 'before'
              ? { kind: 'free' as const, before: rise, after: other }
              : { kind: 'free' as const, before: other, after: rise };
          return { ...k, shape };
        },
        gestureOf(`tangent ${one.touch.id} ${one.only.key}`, now.moved),
      );
      now.moved = true;
      return;
    }
    const [right, up] = [time - now.time, (share - now.share) * now.high];
    const far = Math.hypot(toX(axis, time) - toX(axis, now.time), toY(scale, share) - toY(scale, now.share));
    if (!now.moved && far < 3) return;
    now.moved = true;
    // Shift keeps the larger of the two ways.
    const sideways =
      Math.abs(toX(axis, time) - toX(axis, now.time)) > Math.abs(toY(scale, share) - toY(scale, now.share));
    now.drag.move(event.shiftKey && !sideways ? 0 : right, event.shiftKey && sideways ? 0 : up);
  };

  const up = (event: React.PointerEvent) => {
    const now = grip.current;
    grip.current = null;
    if (now?.what !== 'box') return;
    const { x, y, time } = place(event);
    setBox(null);
    if (Math.hypot(x - now.x, y - now.y) >= 4) {
      const between = (at: number, a: number, b: number) => at >= Math.min(a, b) && at <= Math.max(a, b);
      const inside = shownKeys(line, axis, scale, all).filter(
        (k) => between(k.x, x, now.x) && between(k.y, y, now.y),
      );
      const chosen = inside.map((k) => ({ touch: k.touch, key: k.key }));
      set({ keys: event.shiftKey ? [...keys, ...chosen.filter((k) => !isChosen(keys, k))] : chosen });
      return;
    }
    // A press on a curve chooses it, elsewhere it moves the playhead.
    const curves = currentCurves();
    const curve = curves && curveAt(curves, axis, scale, all, x, y, time);
    set({ keys: [], control: curve ?? get().control });
    player.seek(time, true);
  };

  return (
    <>
      <CurveList
        line={line}
        stave={stave}
        all={all}
        text={text}
        onText={onText}
        listed={listed}
        control={control}
      />
      <div
        className="open-stave"
        data-testid="open-stave"
        data-keys={keys.length}
        data-bottom={scale.bottom}
        data-grip={hovers || undefined}
        role="application"
        aria-label="Curves and keys: double-click puts a key on the chosen curve, drag moves keys, a box chooses them"
        style={{ top: stave.top, height: stave.height, left: GUTTER }}
        onPointerDown={down}
        onPointerMove={move}
        onPointerUp={up}
        onLostPointerCapture={() => {
          grip.current = null;
          setBox(null);
        }}
        onDoubleClick={(event) => {
          const { x, y, time, share } = place(event);
          if (keyAt(x, y)) return;
          const curves = currentCurves();
          const near = curves && curveAt(curves, axis, scale, all, x, y, time);
          const name = near ?? control;
          const own = all.find((one) => one.name === name);
          if (!name || !own) return;
          // On a curve the key lies on it; beside it, where the pointer is.
          void addKey(name, time, near ? played(name, time) : share * own.high);
        }}
      >
        {box && <div className="box" style={{ left: box.x, top: box.y, width: box.w, height: box.h }} />}
        {all.length === 0 && (
          <span className="soft">No curve is listed; choose “everything” at the left.</span>
        )}
      </div>
    </>
  );
}

/** The names of the curves that are shown, with their values at the playhead. */
function CurveList({
  line,
  stave,
  all,
  text,
  onText,
  listed,
  control,
}: {
  line: LineView;
  stave: Stave;
  all: Listing[];
  text: string;
  onText: (text: string) => void;
  listed: Listed;
  control: ControlName | null;
}) {
  const list = useRef<HTMLDivElement>(null);
  const sets = useQuery({ queryKey: ['curveSets'], queryFn: api.curveSets });
  const [naming, setNaming] = useState<string | null>(null);
  const keepSet = (name: string, controls: ControlName[]) =>
    api
      .keepCurveSet(name, controls)
      .then((all) => queries.setQueryData(['curveSets'], all))
      .catch(tell);
  const touched = new Set(touchesOf(line).map((t) => t.control));
  // Values at the playhead are written without React.
  useEffect(() => {
    let running = true;
    const tick = () => {
      if (!running) return;
      const time = player.now();
      for (const cell of list.current?.querySelectorAll<HTMLElement>('[data-value]') ?? []) {
        const value = plain(Math.round(played(cell.dataset.value ?? '', time) * 100) / 100);
        if (cell.textContent !== value) cell.textContent = value;
      }
      requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
    return () => {
      running = false;
    };
  }, []);
  return (
    <div className="curve-list" style={{ top: stave.top, height: stave.height, width: GUTTER }} ref={list}>
      <div className="curve-list-head">
        <button
          className="quiet"
          data-testid="close-stave"
          title="Close the stave (Q)"
          onClick={() => set({ open: false, keys: [] })}
        >
          Curves ▾
        </button>
        <select
          aria-label="Which curves are listed"
          data-testid="listed"
          value={listed}
          onChange={(event) => set({ listed: event.target.value as Listed })}
        >
          {LISTED.map(([value, name]) => (
            <option key={value} value={value}>
              {name}
            </option>
          ))}
          {sets.data?.map((s) => (
            <option key={s.name} value={`set ${s.name}`}>
              {s.name}
            </option>
          ))}
        </select>
      </div>
      <input
        className="find"
        aria-label="Find a curve"
        placeholder="find a curve"
        value={text}
        onChange={(event) => onText(event.target.value)}
      />
      {naming !== null ? (
        <form
          onSubmit={(event) => {
            event.preventDefault();
            if (naming.trim()) {
              void keepSet(
                naming.trim(),
                all.map((one) => one.name),
              );
            }
            setNaming(null);
          }}
        >
          <input
            className="find"
            autoFocus
            aria-label="Name of the set of curves"
            placeholder="keep these as …"
            data-testid="set-name"
            value={naming}
            onChange={(event) => setNaming(event.target.value)}
            onBlur={() => setNaming(null)}
          />
        </form>
      ) : (
        <button
          className="quiet"
          data-testid="keep-set"
          title="Keep the curves that are listed now under a name"
          onClick={() => {
            if (listed.startsWith('set ')) {
              void keepSet(listed.slice(4), []);
              set({ listed: 'moving' });
            } else setNaming('');
          }}
        >
          {listed.startsWith('set ') ? 'Forget this set' : 'Keep this list …'}
        </button>
      )}
      <div className="curve-names">
        {all.map((one) => (
          <button
            key={one.name}
            className="curve-name"
            aria-pressed={one.name === control}
            data-testid={`curve-${one.name}`}
            onClick={() => set({ control: one.name === control ? null : one.name, keys: [] })}
          >
            <i style={{ background: regionColour(one.region), height: touched.has(one.name) ? 4 : 2 }} />
            <span>{longName(one.name)}</span>
            <b data-value={one.name} />
          </button>
        ))}
      </div>
    </div>
  );
}
