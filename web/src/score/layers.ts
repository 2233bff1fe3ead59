// What lies on the staves of mood, eyes and head: which change a drag, a key or a button makes. What they do to the
// face the server works out.

import { act, gestureOf, gestureOfKey } from '../api/act';
import type { HeadMove, LayerSettings, LineView, Look, Mood, Op } from '../api/client';
import { type LayerKey, type LayerName, type Span, get } from '../state';
import { choose, spanIds, theWord } from './chosen';
import { snapped } from './hand';
import { openGrid, openLine } from './open';
import { NUDGE, perSecond } from './time';

/** Makes an operation on the open line. `of` names the thing that is dragged: what goes on with it is one step. */
export function change(op: Op, of = '', goesOn = false) {
  const { line } = get();
  if (line === null) return Promise.resolve(null);
  return act(line, op, of ? { gesture: gestureOf(`${op.do} ${of}`, goesOn) } : {});
}

/** The same, moved by a key: pressed again soon after, it is one step with before. */
export function changeByKey(op: Op, of: string) {
  const { line } = get();
  if (line !== null) void act(line, op, { gesture: gestureOfKey(`${op.do} ${of}`) });
}

/** Changes settings of the layers by name. */
export const changeSettings = (settings: Partial<LayerSettings>, goesOn = false) =>
  void change({ do: 'settings', change: settings }, Object.keys(settings).join(' '), goesOn);

export const moodTitle = (mood: Mood) => (typeof mood === 'string' ? mood : mood.pose.name);

export const MOODS = [
  'happiness',
  'sadness',
  'surprise',
  'fear',
  'anger',
  'disgust',
  'worry',
  'irony',
  'tenderness',
  'dread',
] as const;

/** Head moves to begin with. */
export const MOVES: [string, HeadMove][] = [
  ['turn left', { kind: 'turn', yaw: 18, pitch: 0, roll: 2 }],
  ['turn right', { kind: 'turn', yaw: -18, pitch: 0, roll: -2 }],
  ['look up', { kind: 'turn', yaw: 0, pitch: -10, roll: 0 }],
  ['bow', { kind: 'turn', yaw: 0, pitch: 14, roll: 0 }],
  ['tilt', { kind: 'turn', yaw: 3, pitch: 0, roll: 9 }],
  ['shiver', { kind: 'shiver', degrees: 0.6, per_second: 7 }],
];

export function lookTitle(look: Look, marks: LayerSettings['marks']): string {
  const named = (id: number) => marks?.find((m) => m.id === id)?.name ?? 'somewhere';
  switch (look.kind) {
    case 'at':
      return named(look.mark);
    case 'face':
      return `face: ${named(look.mark)}`;
    case 'think':
      return 'thinks';
    case 'between':
      return `${named(look.one)} and ${named(look.other)}`;
  }
}

export function moveTitle(move: HeadMove): string {
  if (move.kind === 'shiver') return `shiver ${move.degrees.toFixed(1)}°`;
  const parts = [
    Math.abs(move.yaw) >= 0.5 && `${Math.abs(move.yaw).toFixed(0)}° ${move.yaw > 0 ? 'left' : 'right'}`,
    Math.abs(move.pitch) >= 0.5 && `${Math.abs(move.pitch).toFixed(0)}° ${move.pitch > 0 ? 'down' : 'up'}`,
    Math.abs(move.roll) >= 0.5 && `${Math.abs(move.roll).toFixed(0)}° tilt`,
  ].filter(Boolean);
  return parts.length > 0 ? parts.join(', ') : 'turn';
}

/** A span on a stave, whatever it does. */
export interface Laid {
  id: number;
  span: Span;
  title: string;
  /** Of moods, how strong. */
  amount?: number;
}

export function spansOf(line: LineView, name: LayerName): Laid[] {
  const { layers } = line;
  switch (name) {
    case 'mood':
      return layers.moods.map((m) => ({
        id: m.id,
        span: m.span,
        title: `${moodTitle(m.does.mood)} ${Math.round(m.does.amount * 100)} %`,
        amount: m.does.amount,
      }));
    case 'eyes':
      return layers.looks.map((l) => ({
        id: l.id,
        span: l.span,
        title: lookTitle(l.does, layers.settings.marks),
      }));
    case 'head':
      return layers.moves.map((m) => ({ id: m.id, span: m.span, title: moveTitle(m.does) }));
    case 'hand':
      return [];
  }
}

/** The operation that draws a span anew: moved, stretched, stronger. */
function drawn(name: LayerName, id: number, span: Span, amount?: number): Op | null {
  if (name === 'mood') return { do: 'change_mood', id, span, change: amount === undefined ? {} : { amount } };
  if (name === 'eyes') return { do: 'change_look', id, span };
  return name === 'head' ? { do: 'change_move', id, span } : null;
}

export function drawSpan(name: LayerName, id: number, to: Span, amount?: number, goesOn = false) {
  const op = drawn(name, id, to, amount);
  if (op) void change(op, `${id}`, goesOn);
}

/** The same by a key press. */
export function drawSpanByKey(name: LayerName, id: number, to: Span, amount?: number) {
  const op = drawn(name, id, to, amount);
  if (op) changeByKey(op, `${id}`);
}

/** Moves a key of a mood's amount, or takes it out. Keys are named by the place they have. */
export const keyMood = (mood: number, key: number, to: [number, number] | null, of = '', goesOn = false) =>
  change({ do: 'swell', mood, key, to }, of, goesOn);

/** A key of a mood's amount at a moment, as strong as the key before it. */
export const keyMoodAt = (mood: number, time: number) => void change({ do: 'swell_here', mood, time });

/** Parts a span in two at a moment. */
export const splitSpan = (id: number, time: number) => void change({ do: 'split', id, time });

/** What is chosen of a layer now: spans and blinks. */
const chosenOf = (line: LineView) => {
  const { chosen } = get();
  if (chosen?.what !== 'spans') return [];
  const blinks = line.layers.blinks.map((b) => ({ id: b.id, span: { start: b.at, end: b.at }, blink: true }));
  const spans = spansOf(line, chosen.layer).map((s) => ({ ...s, blink: false }));
  return [...spans, ...blinks]
    .filter((s) => chosen.ids.includes(s.id))
    .map((s) => ({ ...s, layer: chosen.layer }));
};

/** Moves the chosen spans and blinks by a frame, or by less, as one step. */
export function shiftSpans(direction: number, frame: boolean) {
  const line = openLine();
  const grid = openGrid();
  if (!line || !grid) return;
  const all = chosenOf(line);
  const by = direction * (frame ? 1 / perSecond(grid) : NUDGE);
  const gesture = gestureOfKey(`shift ${all.map((s) => s.id).join(' ')}`);
  for (const { id, span, blink, layer } of all) {
    const start = Math.max(0, span.start + by);
    const op = blink
      ? ({ do: 'change_blink', id, time: start } as const)
      : drawn(layer, id, { start, end: start + span.end - span.start });
    if (op) void act(line.summary.id, op, { gesture, of: `${id}` });
  }
}

/** Makes the chosen moods stronger or weaker. */
export function liftSpans(by: number) {
  const line = openLine();
  if (!line) return;
  const all = line.layers.moods.filter((m) => spanIds(get().chosen, 'mood').includes(m.id));
  const gesture = gestureOfKey(`lift ${all.map((m) => m.id).join(' ')}`);
  for (const { id, does } of all) {
    const amount = Math.min(1, Math.max(0.02, does.amount + by));
    void act(line.summary.id, { do: 'change_mood', id, change: { amount } }, { gesture, of: `${id}` });
  }
}

/** Spans and blinks of a layer by their times. */
export function inOrder(line: LineView, name: LayerName): number[] {
  const blinks = name === 'eyes' ? line.layers.blinks.map((b) => ({ id: b.id, start: b.at })) : [];
  const all = [...spansOf(line, name).map((s) => ({ id: s.id, start: s.span.start })), ...blinks];
  return all.sort((a, b) => a.start - b.start).map((s) => s.id);
}

/** Chooses the next span or blink of a layer. */
export function nextSpan(name: LayerName, count: number) {
  const line = openLine();
  if (!line) return;
  const all = inOrder(line, name);
  const here = all.indexOf(spanIds(get().chosen, name).at(-1) ?? -1);
  const next = all[here < 0 ? (count > 0 ? 0 : all.length - 1) : here + count];
  if (next !== undefined) choose({ what: 'spans', layer: name, ids: [next] });
}

/** Where something new is laid: over a stretch, over the phrase at a time, else over the selected word or the phrase
 * at the playhead. */
function place(over?: Span | number) {
  if (typeof over === 'number') return { span: null, word: null, time: over };
  const { chosen, time } = get();
  const line = openLine();
  const word = line && theWord(line, chosen);
  return over ? { span: over, word: null, time } : { span: null, word: word?.id ?? null, time };
}

/** Puts something on a layer's stave and chooses it. */
async function add(layer: LayerName, op: Op) {
  const answer = await change(op);
  const id = answer?.made.at(-1);
  if (id !== undefined) choose({ what: 'spans', layer, ids: [id] }, layer);
}

export const addMood = (mood: Mood, over?: Span | number, amount = 0.6) =>
  void add('mood', { do: 'add_mood', mood, amount, over: place(over) });

export const addLook = (look: Look, over?: Span | number) =>
  void add('eyes', { do: 'add_look', look, over: place(over) });

/** Looks at a new mark: with the look that is chosen, or with one of its own. */
export function lookAt(at: { yaw: number; pitch: number }, look?: number) {
  if (look !== undefined) void change({ do: 'change_look', id: look, at });
  else void add('eyes', { do: 'add_look', look: { kind: 'at', mark: 0 }, at, over: place(get().time) });
}

export const addMove = (does: HeadMove, over?: Span | number) =>
  void add('head', { do: 'add_move', does, over: place(over) });

/** Puts a moment from which on a layer plays as much as it does there now. */
export const levelHere = (layer: LayerKey, share?: number, time = get().time) =>
  void change({ do: 'add_level', layer, time: snapped(time), share });

export const blinkHere = (time = get().time) => void add('eyes', { do: 'add_blink', time: snapped(time) });

export const remove = (ids: number[]) => void change({ do: 'remove', ids });
