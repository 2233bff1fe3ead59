import { Menu } from '@mantine/core';
import { useRef, useState } from 'react';
import type { ControlName, Grid, LineView } from '../../api/client';
import { currentCurves } from '../../api/live';
import { gestureOf } from '../../api/act';
import { longName } from '../../cast/words';
import { type ChosenKey, get, set, useView } from '../../state';
import { ActionItem } from '../../widgets/ActionItem';
import { MenuAt, type Place, placeOf } from '../../widgets/MenuAt';
import { choose, chooseKeys, howOf, keysOf } from '../chosen';
import { Drag, addKeys, changeKeys, played, shapeKeys, shownAt, touchesOf } from '../hand';
import * as player from '../player';
import { frameAt } from '../time';
import { type Axis, GUTTER, type Stave, toTime, toX } from './axis';
import { CurveList } from './CurveList';
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
} from './curves';
import { KeyBox } from './KeyBox';
import css from './OpenStave.module.css';
import { Roving } from './Roving';

interface Props {
  line: LineView;
  grid: Grid;
  axis: Axis;
  scale: Scale;
  stave: Stave;
  all: Listing[];
  text: string;
  onText: (text: string) => void;
}

/** Pixels within which a key is taken hold of. */
const GRIP = 9;

/** What a press on the stave took hold of. */
type Grip =
  | { what: 'keys'; drag: Drag; time: number; share: number; high: number; moved: boolean }
  | { what: 'tangent'; side: 'before' | 'after'; moved: boolean }
  | { what: 'box'; x: number; y: number; more: boolean };

/** The open stave: which curves are shown, and hands on their keys. */
export function OpenStave({ line, grid, axis, scale, stave, all, text, onText }: Props) {
  const keys = keysOf(useView((s) => s.chosen));
  const curves = useView((s) => s.curves);
  const listed = useView((s) => s.listed);
  const grip = useRef<Grip | null>(null);
  const [box, setBox] = useState<{ x: number; y: number; w: number; h: number } | null>(null);
  const [hovers, setHovers] = useState(false);
  const [asked, setAsked] = useState<{ at: Place; time: number } | null>(null);

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
    const found = handles(one.touch, one.only.key, axis, scale, one.own);
    return found.find((h) => Math.hypot(h.x - x, h.y - y) < GRIP) ?? null;
  };

  const down = (event: React.PointerEvent) => {
    if (event.pointerType === 'touch' || event.button !== 0) return;
    const { x, y, time, share } = place(event);
    const tangent = tangentAt(x, y);
    event.currentTarget.setPointerCapture(event.pointerId);
    if (tangent) {
      grip.current = { what: 'tangent', side: tangent.side, moved: false };
      return;
    }
    const key = keyAt(x, y);
    const more = howOf(event) !== 'alone';
    if (!key) {
      grip.current = { what: 'box', x, y, more };
      return;
    }
    const chosen = { touch: key.touch, key: key.key };
    if (more) {
      chooseKeys(
        isChosen(keys, key) ? keys.filter((k) => !isChosen([chosen], k)) : [...keys, chosen],
        'curve',
      );
      return;
    }
    if (!isChosen(keys, key)) chooseKeys([chosen], 'curve');
    if (!get().curves.includes(key.control)) set({ curves: [key.control] });
    const high = all.find((one) => one.name === key.control)?.high ?? 1;
    grip.current = { what: 'keys', drag: new Drag(), time, share, high, moved: false };
  };

  const turnTangent = (now: Extract<Grip, { what: 'tangent' }>, share: number, alone: boolean) => {
    const one = single();
    const key = one?.touch.keys[one.only.key];
    if (!one || !key) return;
    const weight = one.touch.laid === 'add' ? Math.max(one.touch.amount, 0.01) : 1;
    const rise = (share * one.own.high - shownAt(one.touch, key)) / weight;
    changeKeys(
      'turn a tangent of',
      (k) => {
        if (k.shape?.kind !== 'free') return k;
        // Both sides turn together unless Alt is held.
        const other = alone ? k.shape[now.side === 'before' ? 'after' : 'before'] : -rise;
        const [before, after] = now.side === 'before' ? [rise, other] : [other, rise];
        return { ...k, shape: { kind: 'free' as const, before, after } };
      },
      gestureOf(`tangent ${one.touch.id} ${one.only.key}`, now.moved),
    );
    now.moved = true;
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
    if (now.what === 'tangent') return turnTangent(now, share, event.altKey);
    const [right, up] = [time - now.time, (share - now.share) * now.high];
    const [far, high] = [toX(axis, time) - toX(axis, now.time), toY(scale, share) - toY(scale, now.share)];
    if (!now.moved && Math.hypot(far, high) < 3) return;
    now.moved = true;
    // Shift keeps the larger of the two ways.
    const sideways = Math.abs(far) > Math.abs(high);
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
      const found: ChosenKey[] = shownKeys(line, axis, scale, all)
        .filter((k) => between(k.x, x, now.x) && between(k.y, y, now.y))
        .map((k) => ({ touch: k.touch, key: k.key }));
      chooseKeys(now.more ? [...keys, ...found.filter((k) => !isChosen(keys, k))] : found, 'curve');
      return;
    }
    // A press on a curve chooses it, elsewhere it moves the playhead.
    const sampled = currentCurves();
    const curve = sampled && curveAt(sampled, axis, scale, all, x, y, time);
    if (keys.length > 0 && !now.more) choose(null);
    if (curve) chooseCurve(curve, now.more);
    if (!curve || !now.more) player.seek(time, true);
  };

  const putKey = (event: React.MouseEvent) => {
    const { x, y, time, share } = place(event);
    if (keyAt(x, y)) return;
    const sampled = currentCurves();
    const near = sampled && curveAt(sampled, axis, scale, all, x, y, time);
    const name = near ?? curves.at(-1);
    const own = all.find((one) => one.name === name);
    if (!name || !own) return;
    set({ curves: [name], bench: 'curve' });
    // On a curve the key lies on it; beside it, where the pointer is.
    void addKeys([name], time, () => (near ? played(name, time) : share * own.high));
  };

  const worked = touchesOf(line).filter((t) => curves.includes(t.control));
  return (
    <>
      <CurveList
        line={line}
        stave={stave}
        all={all}
        text={text}
        onText={onText}
        listed={listed}
        curves={curves}
      />
      <div
        className={css.stave}
        data-testid="open-stave"
        data-keys={keys.length}
        data-bottom={scale.bottom}
        data-grip={hovers || undefined}
        style={{ top: stave.top, height: stave.height, left: GUTTER }}
        onPointerDown={down}
        onPointerMove={move}
        onPointerUp={up}
        onLostPointerCapture={() => {
          grip.current = null;
          setBox(null);
        }}
        onContextMenu={(event) => {
          const { x, y, time } = place(event);
          const key = keyAt(x, y);
          if (key && !isChosen(keys, key)) {
            chooseKeys([{ touch: key.touch, key: key.key }], 'curve');
            set({ curves: [key.control] });
          }
          setAsked({ at: placeOf(event), time });
        }}
        onDoubleClick={putKey}
      >
        {box && <div className={css.box} style={{ left: box.x, top: box.y, width: box.w, height: box.h }} />}
        {keys.length > 1 && <KeyBox line={line} axis={axis} scale={scale} all={all} keys={keys} />}
        {all.length === 0 && (
          <span className={css.empty}>No curve is listed; choose “everything” at the left.</span>
        )}
      </div>
      {asked && (
        <MenuAt at={asked.at} onClose={() => setAsked(null)} testId="menu-curves">
          <Items time={asked.time} keys={keys.length} />
        </MenuAt>
      )}
      <Roving
        label={
          curves.length > 0 ? `Keys of ${curves.map(longName).join(', ')}` : 'Keys: choose a curve first'
        }
        testId="list-keys"
        chosen={keys.length === 1 && keys[0] ? number(keys[0]) : null}
        all={worked.flatMap((t) =>
          t.keys.map((k, key) => ({
            id: number({ touch: t.id, key }),
            says: `${longName(t.control)}, frame ${frameAt(grid, k.time + 1e-4)}, ${shownAt(t, k).toFixed(2)}, ${k.shape?.kind ?? 'smooth'}`,
          })),
        )}
        onChoose={(id) => {
          const found = worked
            .flatMap((t) => t.keys.map((k, key) => ({ touch: t.id, key, time: k.time })))
            .find((k) => number(k) === id);
          if (!found) return;
          chooseKeys([{ touch: found.touch, key: found.key }]);
          player.seek(found.time + 1e-6);
        }}
      />
    </>
  );
}

/** A number for a key among all. */
const number = (key: ChosenKey) => key.touch * 4096 + key.key;

/** Works on a curve, or on one more. */
export function chooseCurve(name: ControlName, more: boolean) {
  const { curves, bench } = get();
  const next = more ? (curves.includes(name) ? curves.filter((c) => c !== name) : [...curves, name]) : [name];
  set({ curves: next, bench: bench === 'why' ? 'why' : 'curve' });
}

function Items({ time, keys }: { time: number; keys: number }) {
  const there = () => player.seek(time);
  return (
    <>
      {keys > 0 && (
        <>
          <Menu.Label>{keys === 1 ? 'The chosen key' : `${keys} chosen keys`}</Menu.Label>
          {(['smooth', 'eased', 'straight', 'stepped'] as const).map((kind) => (
            <Menu.Item key={kind} onClick={() => shapeKeys({ kind })}>
              {kind}
            </Menu.Item>
          ))}
          <ActionItem gives="copy">Copy</ActionItem>
          <ActionItem gives="delete">Delete</ActionItem>
          <ActionItem gives="mirror">Mirror to the other side</ActionItem>
          <Menu.Divider />
        </>
      )}
      <ActionItem gives="keyHere" before={there}>
        Key on the chosen curves here
      </ActionItem>
      <ActionItem gives="keyRest" before={there}>
        Key at rest here
      </ActionItem>
      <ActionItem gives="keyAll" before={there}>
        Key on every curve here
      </ActionItem>
      <ActionItem gives="paste" before={there}>
        Paste here
      </ActionItem>
      <ActionItem gives="allKeys">All keys of the chosen curves</ActionItem>
      <Menu.Divider />
      <ActionItem gives="bake">Bake</ActionItem>
      <ActionItem gives="unbake">Un-bake</ActionItem>
      <ActionItem gives="automatic">Back to automatic</ActionItem>
      <ActionItem gives="openStave">Close the curves</ActionItem>
    </>
  );
}
