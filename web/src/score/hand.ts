// Keys by hand: which touches a drag, a key or a button makes. What they do to the curves the server works out.

import {
  type ControlName,
  type KeyShape,
  type LineView,
  type TimedKey,
  type Touch,
  type TouchChange,
  api,
  queries,
  tell,
} from '../api/client';
import { currentCurves } from '../api/live';
import { Newest } from '../api/newest';
import { longName } from '../cast/words';
import { type ChosenKey, type Span, get, set } from '../state';
import { NUDGE } from './correct';
import { at } from './draw';
import * as player from './player';
import { openGrid, openLine } from './open';
import { perSecond } from './time';

/** How long a new touch takes to come and go, seconds. */
const FADE = 0.1;
/** A key this near to a touch's own joins it, seconds. */
const NEAR = 0.15;

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

const newest = new Newest<{ line: number; put: TouchChange[]; remove: number[]; what: string }>(
  ({ line, ...change }, goesOn) => api.touch(line, { ...change, goes_on: goesOn }),
  () => {
    held = new Map();
  },
);

function send(put: TouchChange[], remove: number[], what: string, goesOn = false) {
  held = new Map([
    ...held,
    ...put.flatMap((t): [number, TouchChange][] => (t.id == null ? [] : [[t.id, t]])),
  ]);
  // Whoever shows keys looks again.
  set({ keys: [...get().keys] });
  void newest.put({ line: get().line ?? 0, put, remove, what }, goesOn);
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

/** The last change by key: the same again soon after is one step with it. */
let last = { what: '', keys: '', at: 0 };
const SOON = 1500;

/** Changes the chosen keys as one step. */
export function changeKeys(what: string, change: (key: TimedKey, touch: Touch) => TimedKey, goesOn = false) {
  const line = openLine();
  const { keys } = get();
  if (!line || keys.length === 0) return;
  const { put, chosen } = reshape(line, keys, change);
  set({ keys: chosen });
  send(put, [], `${what} ${named(chosenTouches(line, keys))}`, goesOn);
}

/** A drag of the chosen keys, from where they were when it began. */
export class Drag {
  private readonly line = openLine();
  private readonly keys = get().keys;
  private sent = false;

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
    set({ keys: chosen });
    send(
      put,
      [],
      `move ${this.keys.length === 1 ? 'a key' : `${this.keys.length} keys`} of ${named(chosenTouches(this.line, this.keys))}`,
      this.sent,
    );
    this.sent = true;
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

/** The word at a time, for the list of steps. */
function wordAt(line: LineView, time: number) {
  const word = line.document.timing?.words.find((w) => time >= w.span.start && time < w.span.end);
  return word ? ` on “${word.text}”` : '';
}

/** Puts a key on a control's curve: into the touch that is near, or as a touch of its own. */
export async function addKey(
  control: ControlName,
  time: number,
  value: number,
  shape: KeyShape = { kind: 'smooth' },
) {
  const line = openLine();
  if (!line) return;
  const t = snapped(time);
  const near = touchesOf(line).find((touch) => {
    const [first, last] = [touch.keys[0]?.time ?? 0, touch.keys[touch.keys.length - 1]?.time ?? 0];
    const reach = [first - Math.max(touch.fade_in, NEAR), last + Math.max(touch.fade_out, NEAR)];
    return touch.control === control && t >= (reach[0] ?? 0) && t <= (reach[1] ?? 0);
  });
  const base: TouchChange = near
    ? asChange(near)
    : { control, laid: 'add', fade_in: FADE, fade_out: FADE, amount: 1, keys: [] };
  const key = { time: t, value: limited(base, keyFor(base, t, value)), shape };
  const keys = [...base.keys.filter((k) => Math.abs(k.time - t) > 1e-4), key].sort((a, b) => a.time - b.time);
  try {
    const answer = await api.touch(line.summary.id, {
      put: [{ ...base, keys }],
      remove: [],
      what: `a key of ${longName(control)}${wordAt(line, t)}`,
      goes_on: false,
    });
    queries.setQueryData(['line', line.summary.id], answer);
    const touch = near?.id ?? Math.max(...answer.touches.map((touch) => touch.id));
    set({ control, keys: [{ touch, key: keys.indexOf(key) }] });
    player.seek(t + 1e-6);
  } catch (error) {
    tell(error);
  }
}

/** Takes the chosen keys away; touches with none left go. */
export function removeKeys() {
  const line = openLine();
  const { keys } = get();
  if (!line || keys.length === 0) return;
  const put: TouchChange[] = [];
  const remove: number[] = [];
  for (const touch of chosenTouches(line, keys)) {
    const left = touch.keys.filter((_, i) => !keys.some((k) => k.touch === touch.id && k.key === i));
    if (left.length === 0) remove.push(touch.id);
    else put.push({ ...asChange(touch), keys: left });
  }
  set({ keys: [] });
  send(put, remove, `take keys of ${named(chosenTouches(line, keys))} away`);
}

/** A change by key, which goes on with the last one if that was the same and not long ago. */
function again(what: string, change: (key: TimedKey, touch: Touch) => TimedKey) {
  const { keys } = get();
  const now = { what, keys: JSON.stringify(keys.map((k) => k.touch)), at: Date.now() };
  const goesOn = now.what === last.what && now.keys === last.keys && now.at - last.at < SOON;
  last = now;
  changeKeys(what, change, goesOn);
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

export const shapeKeys = (shape: KeyShape) => changeKeys(`make ${shape.kind}`, (key) => ({ ...key, shape }));

/** Changes settings of the touches that hold the chosen keys. */
export function settle(what: string, change: Partial<TouchChange>, goesOn = false) {
  const line = openLine();
  const touches = chosenTouches(line, get().keys);
  if (touches.length === 0) return;
  const put = touches.map((t) => ({ ...asChange(t), ...change }));
  send(put, [], `${what} ${named(touches)}`, goesOn);
}

/** What was copied: keys from the first one's time on. */
let copied: { control: ControlName; laid: Touch['laid']; amount: number; keys: TimedKey[] }[] = [];

export function copyKeys() {
  const line = openLine();
  const { keys } = get();
  const touches = chosenTouches(line, keys);
  const mine = (t: Touch) => t.keys.filter((_, i) => keys.some((k) => k.touch === t.id && k.key === i));
  const first = Math.min(...touches.flatMap(mine).map((k) => k.time));
  copied = touches.map((t) => ({
    control: t.control,
    laid: t.laid,
    amount: t.amount,
    keys: mine(t).map((k) => ({ ...k, time: k.time - first })),
  }));
}

/** Lays what was copied at the playhead. */
export function pasteKeys() {
  if (copied.length === 0) return;
  const start = snapped(get().time);
  const put = copied.map((c) => ({
    control: c.control,
    laid: c.laid,
    amount: c.amount,
    fade_in: FADE,
    fade_out: FADE,
    keys: c.keys.map((k) => ({ ...k, time: start + k.time })),
  }));
  send(
    put,
    [],
    `paste ${copied.length === 1 ? longName(copied[0]?.control ?? 'jaw_open') : `${copied.length} curves`}`,
  );
}

/** The stretch that is worked on: of the chosen keys, else the word, else what is in view. */
export function stretch(line: LineView): Span {
  const { keys, selected, view } = get();
  const times = chosenTouches(line, keys).flatMap((t) =>
    t.keys.filter((_, i) => keys.some((k) => k.touch === t.id && k.key === i)).map((k) => k.time),
  );
  if (times.length > 1) return { start: Math.min(...times), end: Math.max(...times) };
  return line.document.timing?.words[selected.word ?? -1]?.span ?? view;
}

const workedOn = (line: LineView): ControlName[] => {
  const chosen = chosenTouches(line, get().keys).map((t) => t.control);
  const { control } = get();
  return chosen.length > 0 ? [...new Set(chosen)] : control ? [control] : [];
};

/** Does something with the line and the controls that are worked on, and shows the answer. */
async function ask(does: (line: LineView, controls: ControlName[]) => Promise<LineView>) {
  const line = openLine();
  if (!line) return;
  const controls = workedOn(line);
  if (controls.length === 0) {
    tell(new Error('Choose a curve of an open stave first.'));
    return;
  }
  try {
    const answer = await does(line, controls);
    set({ keys: [] });
    queries.setQueryData(['line', line.summary.id], answer);
  } catch (error) {
    tell(error);
  }
}

export const backToAutomatic = () =>
  ask((line, controls) => api.letGo(line.summary.id, controls, stretch(line)));

/** How far baked keys may be off, a share of the control's range. */
const TOLERANCE = 0.01;

/** What the last baking made, in words. */
export let baked = '';
export const bake = () =>
  ask(async (line, controls) => {
    const made = await api.bake(line.summary.id, controls, stretch(line), TOLERANCE);
    baked = `${made.keys} keys, at most ${made.error.toFixed(3)} off`;
    return made.line;
  });

export const unbake = () =>
  ask(async (line, controls) => {
    const { control, keys } = get();
    const span = stretch(line);
    const touch =
      chosenTouches(line, keys)[0] ??
      touchesOf(line).find(
        (t) =>
          t.laid === 'replace' &&
          (control === null || controls.includes(t.control)) &&
          (t.keys[0]?.time ?? 0) <= span.end &&
          (t.keys[t.keys.length - 1]?.time ?? 0) >= span.start,
      );
    if (!touch) throw new Error('Nothing baked lies here; choose one of its keys.');
    return api.unbake(line.summary.id, touch.id);
  });

export const mirror = () =>
  ask((line, controls) => {
    const touches = touchesOf(line).filter((t) => controls.includes(t.control));
    const { keys } = get();
    const own = keys.length > 0 ? chosenTouches(line, keys) : touches;
    return api.mirror(
      line.summary.id,
      own.map((t) => t.id),
    );
  });

/** A key with which the control is at rest at the playhead. */
export function neutralKey() {
  const { control, time } = get();
  if (control) void addKey(control, time, 0);
}

/** A key at the playhead, on the curve as it is. */
export function keyHere() {
  const { control, time } = get();
  if (control) void addKey(control, time, played(control, snapped(time)));
}

/** Lays the chosen touches the other way; their keys keep the values that are shown. */
export function layAs(laid: Touch['laid']) {
  const line = openLine();
  const touches = chosenTouches(line, get().keys).filter((t) => t.laid !== laid);
  if (touches.length === 0) return;
  const put = touches.map((t) => ({
    ...asChange(t),
    laid,
    amount: 1,
    keys: t.keys.map((k) => ({ ...k, value: keyFor({ ...t, laid, amount: 1 }, k.time, shownAt(t, k)) })),
  }));
  send(put, [], `${laid === 'add' ? 'add' : 'put in place'} ${named(touches)}`);
}
