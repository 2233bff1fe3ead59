// Keys by hand: which touches a drag, a key or a button makes. What they do to the curves the server works out.

import {
  type ControlName,
  type KeyShape,
  type LineView,
  type Op,
  type OperationView,
  type TimedKey,
  type Touch,
  type TouchChange,
  api,
  queries,
} from '../api/client';
import { tell } from '../widgets/tell';
import { act, gestureOf, gestureOfKey, isBusy } from '../api/act';
import { currentCurves } from '../api/live';
import { longName } from '../cast/words';
import { type ChosenKey, type Span, get } from '../state';
import { chooseKeys, chosenKeys, chosenSpan } from './chosen';
import { at } from './line';
import * as player from './player';
import { openGrid, openLine } from './open';
import { NUDGE, perSecond } from './time';

/** Touches as they were changed last, until the server's answer holds them: what follows builds on them. */
let held = new Map<number, TouchChange>();

export const touchesOf = (line: LineView | undefined): Touch[] =>
  (line?.touches ?? []).filter((t) => !t.aside).map((t) => ({ ...t, ...held.get(t.id), id: t.id }));

/** A time on the frame grid, if keys land on frames. */
export function snapped(time: number): number {
  const here = openGrid();
  if (!get().snap || !here) return Math.max(0, time);
  return Math.max(0, Math.round(time * perSecond(here)) / perSecond(here));
}

/** A control's value without touches, at a time. */
export function automatic(control: string, time: number): number {
  const curves = currentCurves();
  const curve = curves?.untouched.get(control) ?? curves?.controls.get(control);
  return curve && curves ? at(curve, time * curves.hz) : 0;
}

/** A control's value as it is played. */
export function played(control: string, time: number): number {
  const curves = currentCurves();
  const curve = curves?.controls.get(control);
  return curve && curves ? at(curve, time * curves.hz) : 0;
}

/** What a key must hold for its control to be at a value. */
export const keyFor = (touch: Pick<Touch, 'laid' | 'amount' | 'control'>, time: number, value: number) =>
  touch.laid === 'add' ? (value - automatic(touch.control, time)) / Math.max(touch.amount, 0.01) : value;

/** Where a key is shown: the value its control has there. */
export const shownAt = (touch: Touch, key: TimedKey) =>
  touch.laid === 'add' ? automatic(touch.control, key.time) + touch.amount * key.value : key.value;

const asChange = (t: Touch): TouchChange => ({
  id: t.id,
  control: t.control,
  laid: t.laid,
  fade_in: t.fade_in,
  fade_out: t.fade_out,
  amount: t.amount,
  keys: t.keys,
});

/** Makes an operation on the open line; what is held until then gives way to the answer. */
async function send(op: Op, gesture?: string): Promise<OperationView | null> {
  const { line } = get();
  if (line === null) return null;
  const answer = await act(line, op, { gesture });
  if (!isBusy(line)) held = new Map();
  return answer;
}

/** Lays touches as they are drawn: shown at once, kept by the server. */
function lay(put: TouchChange[], remove: number[], what: string, gesture?: string) {
  held = new Map([
    ...held,
    ...put.flatMap((t): [number, TouchChange][] => (t.id == null ? [] : [[t.id, t]])),
  ]);
  // Whoever shows keys looks again.
  const keys = chosenKeys();
  if (keys.length > 0) chooseKeys([...keys]);
  void send({ do: 'touches', put, remove, what }, gesture);
}

/** Names what is changed: “jaw open on “pier””. */
const named = (touches: Touch[]) => {
  const [first] = touches;
  if (!first) return 'curves';
  const controls = new Set(touches.map((t) => t.control));
  if (controls.size > 1) return `${controls.size} curves`;
  return `${longName(first.control)} on ${touches.length === 1 ? first.on : 'several words'}`;
};

export const chosenTouches = (line: LineView | undefined, keys: ChosenKey[]) =>
  touchesOf(line).filter((t) => keys.some((k) => k.touch === t.id));

/** Changes the chosen keys; the others of their touches stay. Order follows time. */
function reshape(
  line: LineView,
  keys: ChosenKey[],
  change: (key: TimedKey, touch: Touch) => TimedKey,
): { put: TouchChange[]; chosen: ChosenKey[] } {
  const chosen: ChosenKey[] = [];
  const put = chosenTouches(line, keys).map((touch) => {
    const mine = new Set(keys.filter((k) => k.touch === touch.id).map((k) => k.key));
    const all = touch.keys.map((key, i) => ({
      key: mine.has(i) ? change(key, touch) : key,
      mine: mine.has(i),
    }));
    all.sort((a, b) => a.key.time - b.key.time);
    all.forEach((one, i) => one.mine && chosen.push({ touch: touch.id, key: i }));
    return { ...asChange(touch), keys: all.map((one) => one.key) };
  });
  return { put, chosen };
}

/** Changes the chosen keys as one step. */
export function changeKeys(
  what: string,
  change: (key: TimedKey, touch: Touch) => TimedKey,
  gesture?: string,
) {
  const line = openLine();
  const keys = chosenKeys();
  if (!line || keys.length === 0) return;
  const { put, chosen } = reshape(line, keys, change);
  chooseKeys(chosen);
  lay(put, [], `${what} ${named(chosenTouches(line, keys))}`, gesture);
}

/** A drag of the chosen keys, from where they were when it began. */
export class Drag {
  private readonly line = openLine();
  private readonly keys = chosenKeys();
  private readonly gesture = gestureOf('keys', false);

  move(time: number, value: number) {
    if (!this.line) return;
    const moved = (key: TimedKey, touch: Touch): TimedKey => {
      const to = snapped(key.time + time);
      // A key that is only lifted stays on its time, on a frame or not.
      const at = Math.abs(time) < 1e-6 ? key.time : to;
      return {
        ...key,
        time: at,
        value: limited(touch, key.value + value / (touch.laid === 'add' ? Math.max(touch.amount, 0.01) : 1)),
      };
    };
    const { put, chosen } = reshape(this.line, this.keys, moved);
    chooseKeys(chosen);
    const many = this.keys.length === 1 ? 'a key' : `${this.keys.length} keys`;
    lay(put, [], `move ${many} of ${named(chosenTouches(this.line, this.keys))}`, this.gesture);
  }
}

const limits = (control: string) => {
  const all = queries.getQueryData<Awaited<ReturnType<typeof api.vocabulary>>>(['vocabulary'])?.controls;
  const own = all?.find((c) => c.name === control);
  return { low: own?.low ?? 0, high: own?.high ?? 1 };
};

function limited(touch: Pick<Touch, 'laid' | 'control'>, value: number) {
  const { low, high } = limits(touch.control);
  const [from, to] = touch.laid === 'add' ? [low - high, high - low] : [low, high];
  return Math.min(to, Math.max(from, value));
}

/** Puts keys so that controls have values there, as one step, and chooses them. */
export async function addKeys(
  controls: ControlName[],
  time: number,
  value: (control: ControlName) => number,
) {
  const t = snapped(time);
  const gesture = gestureOf('keys here', false);
  let line: LineView | undefined;
  for (const control of controls) {
    const answer = await send({ do: 'key', control, time: t, value: value(control) }, gesture);
    if (!answer) return;
    line = answer.line;
  }
  const found = (line?.touches ?? [])
    .filter((touch) => controls.includes(touch.control) && !touch.aside)
    .map((touch) => ({ touch: touch.id, key: touch.keys.findIndex((k) => Math.abs(k.time - t) < 1e-4) }))
    .filter((k) => k.key >= 0);
  chooseKeys(found);
  player.seek(t + 1e-6);
}

/** Takes the chosen keys away; touches with none left go. */
export function removeKeys() {
  const line = openLine();
  const keys = chosenKeys();
  if (!line || keys.length === 0) return;
  const put: TouchChange[] = [];
  const remove: number[] = [];
  for (const touch of chosenTouches(line, keys)) {
    const left = touch.keys.filter((_, i) => !keys.some((k) => k.touch === touch.id && k.key === i));
    if (left.length === 0) remove.push(touch.id);
    else put.push({ ...asChange(touch), keys: left });
  }
  chooseKeys([]);
  lay(put, remove, `take keys of ${named(chosenTouches(line, keys))} away`);
}

/** A change by key: the same again soon after is one step with it. */
function again(what: string, change: (key: TimedKey, touch: Touch) => TimedKey) {
  const touches = chosenKeys().map((k) => k.touch);
  changeKeys(what, change, gestureOfKey(`${what} ${touches.join(' ')}`));
}

/** Moves the chosen keys by a nudge or a frame, and in value. */
export function nudgeKeys(direction: number, frame: boolean) {
  const here = openGrid();
  if (!here) return;
  const by = direction * (frame ? 1 / perSecond(here) : NUDGE);
  again('nudge', (key) => ({ ...key, time: Math.max(0, key.time + by) }));
}

export const liftKeys = (by: number) =>
  again('lift', (key, touch) => ({
    ...key,
    value: limited(touch, key.value + by * limits(touch.control).high),
  }));

/** Stretches the chosen keys in time about a moment, or scales their values about a value. */
export function scaleKeys(
  by: { time?: number; about?: number; value?: number; level?: number },
  gesture?: string,
) {
  const { time = 1, about = 0, value = 1, level = 0 } = by;
  changeKeys(
    time === 1 ? 'scale' : 'stretch',
    (key, touch) => ({
      ...key,
      time: time === 1 ? key.time : Math.max(0, snapped(about + (key.time - about) * time)),
      value: limited(touch, level + (key.value - level) * value),
    }),
    gesture,
  );
}

/** The keys as they are when scaling them begins. */
export const startScale = () => ({ line: openLine(), keys: chosenKeys() });

/** Scales keys from where they were: in time about a moment, in value about a level, which is a share of each curve's
 * highest value. */
export function scaleChosen(
  from: ReturnType<typeof startScale>,
  by: { time?: number; about?: number; value?: number; level?: number },
  listed: { name: ControlName; high: number }[],
  gesture: string,
) {
  const { line, keys } = from;
  if (!line) return;
  const { time, about = 0, value, level = 0 } = by;
  const { put, chosen } = reshape(line, keys, (key, touch) => {
    const at = time === undefined ? key.time : Math.max(0, snapped(about + (key.time - about) * time));
    if (value === undefined) return { ...key, time: at };
    const middle = level * (listed.find((one) => one.name === touch.control)?.high ?? 1);
    const shown = middle + (shownAt(touch, key) - middle) * value;
    return { ...key, time: at, value: limited(touch, keyFor(touch, key.time, shown)) };
  });
  chooseKeys(chosen);
  lay(put, [], `scale keys of ${named(chosenTouches(line, keys))}`, gesture);
}

export const shapeKeys = (shape: KeyShape) => changeKeys(`make ${shape.kind}`, (key) => ({ ...key, shape }));

/** Changes settings of the touches that hold the chosen keys. */
export function settle(what: string, change: Partial<TouchChange>, goesOn = false) {
  const keys = chosenKeys();
  const gesture = gestureOf(`${what} ${keys.map((k) => k.touch).join(' ')}`, goesOn);
  const touches = chosenTouches(openLine(), keys);
  if (touches.length === 0) return;
  const put = touches.map((t) => ({ ...asChange(t), ...change }));
  lay(put, [], `${what} ${named(touches)}`, gesture);
}

export type CopiedKeys = Extract<Op, { do: 'paste' }>['curves'];

/** Keys to be pasted: their times count from the first. */
export function copiedKeys(line: LineView, keys: ChosenKey[]): CopiedKeys {
  const touches = chosenTouches(line, keys);
  const mine = (t: Touch) => t.keys.filter((_, i) => keys.some((k) => k.touch === t.id && k.key === i));
  const first = Math.min(...touches.flatMap(mine).map((k) => k.time));
  return touches.map((t) => ({
    control: t.control,
    laid: t.laid,
    amount: t.amount,
    keys: mine(t).map((k) => ({ ...k, time: k.time - first })),
    fades: [t.fade_in, t.fade_out],
  }));
}

/** Lays what was copied at the playhead. */
export const pasteKeys = (curves: CopiedKeys, named?: Extract<Op, { do: 'paste' }>['named']) =>
  send({ do: 'paste', time: snapped(get().time), curves, named });

/** The stretch that is worked on: of what is chosen if it takes time, else what is in view. */
export function stretch(line: LineView): Span {
  const { chosen, view } = get();
  const span = chosenSpan(line, chosen);
  return span && span.end > span.start ? span : view;
}

/** The controls that are worked on: of the chosen keys, else the chosen curves. */
const workedOn = (line: LineView): ControlName[] => {
  const chosen = chosenTouches(line, chosenKeys()).map((t) => t.control);
  return chosen.length > 0 ? [...new Set(chosen)] : get().curves;
};

/** The touches that are worked on: those of the chosen keys, else all of some controls. */
function touchesWorkedOn(line: LineView, controls: ControlName[]): Touch[] {
  const keys = chosenKeys();
  if (keys.length > 0) return chosenTouches(line, keys);
  return touchesOf(line).filter((t) => controls.includes(t.control));
}

/** Makes an operation on the controls that are worked on. */
async function ask(op: (line: LineView, controls: ControlName[]) => Op) {
  const line = openLine();
  if (!line) return null;
  const controls = workedOn(line);
  if (controls.length === 0) {
    tell(new Error('Choose a curve of an open stave first.'));
    return null;
  }
  const answer = await send(op(line, controls));
  if (answer && chosenKeys().length > 0) chooseKeys([]);
  return answer;
}

export const backToAutomatic = () =>
  ask((line, controls) => ({ do: 'automatic', controls, span: stretch(line) }));

/** How far baked keys may be off, a share of the control's range. */
let within = 0.01;
export const tolerance = () => within;
export const setTolerance = (share: number) => {
  within = share;
};

/** What the last baking made, in words. */
export let baked = '';
export const bake = async () => {
  const answer = await ask((line, controls) => ({
    do: 'bake',
    controls,
    span: stretch(line),
    tolerance: within,
  }));
  const made = answer?.baked;
  if (made) baked = `${made.keys} keys, at most ${made.error.toFixed(3)} off`;
};

export const unbake = () =>
  ask((line, controls) => {
    const touches = chosenTouches(line, chosenKeys()).map((t) => t.id);
    return {
      do: 'unbake',
      touches,
      controls: get().curves.length === 0 ? [] : controls,
      span: stretch(line),
    };
  });

export const mirror = () =>
  ask((line, controls) => {
    return { do: 'mirror', touches: touchesWorkedOn(line, controls).map((t) => t.id) };
  });

/** Keys with which the chosen curves are at rest at the playhead. */
export const keyRest = () => void addKeys(get().curves, get().time, () => 0);

/** Keys at the playhead, on the curves as they are. */
export function keyHere(controls = get().curves) {
  const { time } = get();
  void addKeys(controls, time, (control) => played(control, snapped(time)));
}

/** A key on every curve that there is, at the playhead. */
export const keyAll = () => keyHere([...(currentCurves()?.controls.keys() ?? [])] as ControlName[]);

/** Smooths the touches that hold the chosen keys, or all of the chosen curves. */
export function smooth() {
  const line = openLine();
  if (!line) return;
  const own = touchesWorkedOn(line, get().curves);
  if (own.length === 0) tell(new Error('Choose keys, or a curve that hands touched.'));
  else void send({ do: 'change_pass', touches: own.map((t) => t.id), smooth: 0.08 });
}

/** Lays the chosen touches the other way; their curves stay where the keys are. */
export function layAs(laid: Touch['laid']) {
  const touches = chosenTouches(openLine(), chosenKeys()).filter((t) => t.laid !== laid);
  if (touches.length > 0) void send({ do: 'lay_as', touches: touches.map((t) => t.id), laid });
}
