// What lies on the staves of mood, eyes and head: which change a drag, a key or a button makes. What they do to the
// face the server works out.

import {
  type Acting,
  type HeadMove,
  type LayerSettings,
  type LayersChange,
  type LineView,
  type Look,
  type Mood,
  api,
} from '../api/client';
import { Newest } from '../api/newest';
import { type LayerName, type Span, get, set } from '../state';
import { NUDGE } from './correct';
import { snapped } from './hand';
import { openGrid, openLine } from './open';
import { perSecond } from './time';

/** A layer, the mouth's among them. */
export type LayerKey = 'mouth' | LayerName;

/** A change without what the server fills in. */
type Change = Partial<LayersChange> & { what: string };

const newest = new Newest<{ line: number; change: Change }>(({ line, change }, goesOn) =>
  api.layers(line, {
    moods: [],
    looks: [],
    moves: [],
    blinks: [],
    levels: [],
    remove: [],
    ...change,
    goes_on: goesOn,
  }),
);

export function changeLayers(change: Change, goesOn = false) {
  const line = openLine();
  if (line) void newest.put({ line: line.summary.id, change }, goesOn);
}

export function changeSettings(what: string, change: Partial<LayerSettings>, goesOn = false) {
  const line = openLine();
  if (line) changeLayers({ what, settings: { ...line.layers.settings, ...change } }, goesOn);
}

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

export function lookTitle(look: Look): string {
  switch (look.kind) {
    case 'at':
      return look.mark;
    case 'face':
      return `face: ${look.mark}`;
    case 'think':
      return 'thinks';
    case 'between':
      return `${look.one} and ${look.other}`;
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

/** A look with other names of marks. */
function withMarks(look: Look, other: (name: string) => string): Look {
  if (look.kind === 'think') return look;
  if (look.kind === 'between') return { ...look, one: other(look.one), other: other(look.other) };
  return { ...look, mark: other(look.mark) };
}

/** Marks that are other ones now, and the looks that look at them. */
function changeMarks(what: string, marks: LayerSettings['marks'], other: (name: string) => string) {
  const line = openLine();
  if (!line) return;
  const { settings, looks } = line.layers;
  const changed = looks.map((l) => ({ ...l, does: withMarks(l.does, other) }));
  changeLayers({ what, settings: { ...settings, marks }, looks: changed });
}

export function renameMark(from: string, to: string) {
  const marks = openLine()?.layers.settings.marks ?? [];
  const renamed = marks.map((m) => (m.name === from ? { ...m, name: to } : m));
  changeMarks('rename a mark', renamed, (name) => (name === from ? to : name));
}

/** Takes a mark out; what looked at it looks at the first one. */
export function dropMark(gone: string) {
  const marks = (openLine()?.layers.settings.marks ?? []).filter((m) => m.name !== gone);
  const [first] = marks;
  if (first) changeMarks('take a mark out', marks, (name) => (name === gone ? first.name : name));
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
      return layers.looks.map((l) => ({ id: l.id, span: l.span, title: lookTitle(l.does) }));
    case 'head':
      return layers.moves.map((m) => ({ id: m.id, span: m.span, title: moveTitle(m.does) }));
    case 'hand':
      return [];
  }
}

/** A span drawn anew: moved, stretched, stronger. */
export function drawSpan(
  line: LineView,
  name: LayerName,
  id: number,
  to: Span,
  amount?: number,
  goesOn = false,
) {
  const { moods, looks, moves } = line.layers;
  if (name === 'mood') {
    const own = moods.find((m) => m.id === id);
    if (!own) return;
    const does = { ...own.does, amount: amount ?? own.does.amount };
    changeLayers({ what: `draw ${moodTitle(does.mood)}`, moods: [{ id, span: to, does }] }, goesOn);
  } else if (name === 'eyes') {
    const own = looks.find((m) => m.id === id);
    if (own) changeLayers({ what: 'draw a look', looks: [{ id, span: to, does: own.does }] }, goesOn);
  } else if (name === 'head') {
    const own = moves.find((m) => m.id === id);
    if (own) changeLayers({ what: 'draw a head move', moves: [{ id, span: to, does: own.does }] }, goesOn);
  }
}

/** Puts a key of a mood's amount at a place of its stretch, or moves or takes out the one there is. */
export function keyMood(
  id: number,
  key: number | null,
  to: { place: number; share: number } | null,
  goesOn = false,
) {
  const own = openLine()?.layers.moods.find((m) => m.id === id);
  if (!own) return;
  const keys = own.does.swell ?? [];
  const rest = keys.filter((_, k) => k !== key);
  const swell = to ? [...rest, [to.place, to.share] as [number, number]] : rest;
  swell.sort((a, b) => a[0] - b[0]);
  changeLayers(
    {
      what: `key ${moodTitle(own.does.mood)}`,
      moods: [{ id, span: own.span, does: { ...own.does, swell } }],
    },
    goesOn,
  );
}

/** A key of a mood's amount at a moment, as strong as the key before it. */
export function keyMoodAt(id: number, time: number) {
  const own = openLine()?.layers.moods.find((m) => m.id === id);
  if (!own) return;
  const place = (time - own.span.start) / Math.max(own.span.end - own.span.start, 1e-6);
  if (place < 0 || place > 1) return;
  const keys = own.does.swell ?? [];
  const before = [...keys].reverse().find(([at]) => at <= place) ?? keys[0];
  keyMood(id, null, { place, share: before?.[1] ?? 1 });
}

/** Parts a span in two at a moment. */
export function splitSpan(line: LineView, name: LayerName, id: number, time: number) {
  const parts = <T extends { id: number; span: Span }>(all: T[]) => {
    const own = all.find((s) => s.id === id);
    if (!own) return [];
    return [
      { ...own, span: { start: own.span.start, end: time } },
      { ...own, id: undefined, span: { start: time, end: own.span.end } },
    ];
  };
  const { moods, looks, moves } = line.layers;
  const what = 'split a span';
  if (name === 'mood') changeLayers({ what, moods: parts(moods) });
  else if (name === 'eyes') changeLayers({ what, looks: parts(looks) });
  else if (name === 'head') changeLayers({ what, moves: parts(moves) });
}

/** Moves the chosen span or blink by a frame, or by less. */
export function shiftSpan(direction: number, frame: boolean) {
  const line = openLine();
  const grid = openGrid();
  const { layer } = get();
  if (!line || !grid || !layer || layer.id === null) return;
  const by = direction * (frame ? 1 / perSecond(grid) : NUDGE);
  const blink = line.layers.blinks.find((b) => b.id === layer.id);
  if (blink) {
    changeLayers({ what: 'move a blink', blinks: [{ ...blink, at: Math.max(0, blink.at + by) }] }, true);
    return;
  }
  const own = spansOf(line, layer.name).find((s) => s.id === layer.id);
  if (!own) return;
  const start = Math.max(0, own.span.start + by);
  drawSpan(line, layer.name, own.id, { start, end: start + own.span.end - own.span.start }, undefined, true);
}

/** Makes the chosen mood stronger or weaker. */
export function liftSpan(by: number) {
  const line = openLine();
  const { layer } = get();
  const own = line?.layers.moods.find((m) => m.id === layer?.id);
  if (!line || !own) return;
  drawSpan(line, 'mood', own.id, own.span, Math.min(1, Math.max(0.02, own.does.amount + by)), true);
}

/** Chooses the next span or blink of the layer that the bench shows. */
export function nextSpan(count: number) {
  const line = openLine();
  const { layer } = get();
  if (!line || !layer) return;
  const blinks = layer.name === 'eyes' ? line.layers.blinks.map((b) => ({ id: b.id, start: b.at })) : [];
  const all = [...spansOf(line, layer.name).map((s) => ({ id: s.id, start: s.span.start })), ...blinks];
  all.sort((a, b) => a.start - b.start);
  const here = all.findIndex((s) => s.id === layer.id);
  const next = all[here < 0 ? (count > 0 ? 0 : all.length - 1) : here + count];
  if (next) set({ layer: { ...layer, id: next.id } });
}

/** The phrase around a moment, or a second and a half from it. */
export function phraseAt(line: LineView, time: number): Span {
  const phrase = line.phrasing?.phrases.find((p) => time >= p.span.start - 0.2 && time <= p.span.end + 0.2);
  const end = line.summary.duration;
  const start = Math.max(0, phrase ? phrase.span.start - 0.2 : time);
  return { start, end: Math.max(start + 0.2, Math.min(end, phrase ? phrase.span.end + 0.1 : time + 1.5)) };
}

/** Chooses what was put last, as soon as the line has it. */
const chooseNext = (name: LayerName, line: LineView) => {
  const { moods, looks, moves } = line.layers;
  const ids = [...moods, ...looks, ...moves, ...line.layers.blinks].map((s) => s.id);
  set({ layer: { name, id: Math.max(0, ...ids) + 1 } });
};

export function addMood(mood: Mood, span?: Span, amount = 0.6) {
  const line = openLine();
  if (!line) return;
  const over = span ?? selectedSpan(line) ?? phraseAt(line, get().time);
  const does: Acting = { mood, amount, ease: 1, sides: 1, posture: true };
  chooseNext('mood', line);
  changeLayers({ what: `add ${moodTitle(mood)}`, moods: [{ span: over, does }] });
}

/** Lays a look; `settings` where it needs a mark that is not there yet. */
export function addLook(does: Look, settings?: LayerSettings, over?: Span) {
  const line = openLine();
  if (!line) return;
  chooseNext('eyes', line);
  const span = over ?? selectedSpan(line) ?? phraseAt(line, get().time);
  changeLayers({ what: 'add a look', settings, looks: [{ span, does }] });
}

export function addMove(does: HeadMove, over?: Span) {
  const line = openLine();
  if (!line) return;
  chooseNext('head', line);
  changeLayers({
    what: does.kind === 'turn' ? 'turn the head' : 'let the head shiver',
    moves: [{ span: over ?? selectedSpan(line) ?? phraseAt(line, get().time), does }],
  });
}

/** Puts a moment from which on a layer plays as much as it does there now. */
export function levelHere(layer: LayerKey, share?: number, time = get().time) {
  const line = openLine();
  if (!line) return;
  const levels = line.layers.levels.filter((l) => l.layer === layer);
  const before = [...levels].reverse().find((l) => l.at <= time) ?? levels[0];
  changeLayers({
    what: 'put a level',
    levels: [{ layer, at: snapped(time), share: share ?? before?.share ?? 1 }],
  });
}

export function blinkHere() {
  const line = openLine();
  if (!line) return;
  chooseNext('eyes', line);
  const { shape } = line.layers.settings.blinks;
  changeLayers({ what: 'put a blink', blinks: [{ at: snapped(get().time), shape }] });
}

/** Takes the chosen span or blink out. */
export function removeSpan() {
  const { layer } = get();
  if (!layer || layer.id === null) return;
  changeLayers({
    what: `take ${layer.name === 'eyes' ? 'a look or blink' : `a ${layer.name} span`} out`,
    remove: [layer.id],
  });
  set({ layer: { ...layer, id: null } });
}

/** The selected word with its neighbours' air, as a stretch to lay something over. */
function selectedSpan(line: LineView): Span | null {
  const word = line.document.timing?.words[get().selected.word ?? -1];
  return word ? { start: word.span.start, end: word.span.end } : null;
}
