// The line to the server: what changed comes as JSON, curves come as bytes.

import { useSyncExternalStore } from 'react';
import {
  type Batch,
  type ControlName,
  type Job,
  type Pose,
  type RegionName,
  type Shapes,
  queries,
} from './client';
import { isOwn } from './queue';
import { get } from '../state';
import { tell } from '../widgets/tell';

/** Sampled curves of one state of a line, whole length; samples that have not come yet are 0. */
export interface Curves {
  line: number;
  hz: number;
  samples: number;
  controls: Map<string, Float32Array>;
  /** Of controls with touches: their curves without them. */
  untouched: Map<string, Float32Array>;
  outputs: Float32Array[];
  /** From when to when the eyes blink, and whether they shut whole. */
  blinks: [number, number, boolean][];
}

interface WindowHeader {
  line: number;
  snapshot: number | null;
  hz: number;
  from: number;
  samples: number;
  of: number;
  controls: string[];
  untouched: string[];
  outputs: number;
  blinks: [number, number, boolean][];
}

interface PerformedHeader {
  performed: number;
  outputs: number;
  values: [ControlName, number][];
}

/** Samples a second that the server sends. */
const HZ = 100;
/** Samples asked for at once: ten seconds. */
const CHUNK = 10 * HZ;

let socket: WebSocket | null = null;
/** By snapshot; under null the line as it is now. */
const shown = new Map<number | null, Curves>();
let wanted: { line: number; at: number; samples: number } | null = null;
/** The snapshot that is compared with. */
let compared: number | null = null;
let connected = false;
const listeners = new Set<() => void>();
const changed = () => listeners.forEach((l) => l());

/** Starts of the windows still to be asked for; one is under way at a time. */
let queue: { from: number; snapshot: number | null }[] = [];

function askNext() {
  const next = queue.shift();
  if (next && wanted && socket?.readyState === WebSocket.OPEN) {
    socket.send(JSON.stringify({ line: wanted.line, ...next, to: next.from + CHUNK }));
  }
}

/** All windows of a state of the wanted line, what is looked at first. */
function windowsOf(snapshot: number | null) {
  if (!wanted) return [];
  const visible = Math.floor(wanted.at / CHUNK) * CHUNK;
  const starts = Array.from({ length: Math.ceil(wanted.samples / CHUNK) }, (_, i) => i * CHUNK);
  return [visible, ...starts.filter((s) => s !== visible)].map((from) => ({ from, snapshot }));
}

function askAll() {
  // What is still missing of a snapshot that is compared comes after it.
  queue = [...windowsOf(null), ...queue.filter((w) => w.snapshot !== null)];
  askNext();
}

function take(bytes: ArrayBuffer) {
  const length = new DataView(bytes).getUint32(0, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(bytes, 4, length))) as
    WindowHeader | PerformedHeader;
  if ('performed' in header) {
    // An answer that comes after the end changes nothing any more.
    if (performing) {
      performedNow = new Float32Array(bytes, 4 + length, header.outputs);
      performedValues = header.values;
    }
    asking = false;
    return;
  }
  const { snapshot } = header;
  if (header.line !== wanted?.line || (snapshot !== null && snapshot !== compared)) return;
  let curves = shown.get(snapshot);
  const fits =
    curves &&
    curves.samples === header.of &&
    curves.outputs.length === header.outputs &&
    curves.controls.size === header.controls.length &&
    header.untouched.length === curves.untouched.size &&
    header.untouched.every((c) => curves?.untouched.has(c));
  if (!curves || !fits) {
    const empty = (c: string): [string, Float32Array] => [c, new Float32Array(header.of)];
    const before = curves;
    curves = {
      line: header.line,
      hz: header.hz,
      samples: header.of,
      controls: new Map(header.controls.map(empty)),
      untouched: new Map(header.untouched.map(empty)),
      outputs: Array.from({ length: header.outputs }, () => new Float32Array(header.of)),
      blinks: header.blinks,
    };
    // What has not come anew yet is shown as it was.
    if (before?.samples === curves.samples) {
      for (const [name, curve] of before.controls) curves.controls.get(name)?.set(curve);
      before.outputs.forEach((curve, i) => curves?.outputs[i]?.set(curve));
    }
    shown.set(snapshot, curves);
  }
  curves.blinks = header.blinks;
  const tracks = [
    ...header.controls.map((c) => curves.controls.get(c)),
    ...curves.outputs,
    ...header.untouched.map((c) => curves.untouched.get(c)),
  ];
  tracks.forEach((track, k) => {
    track?.set(new Float32Array(bytes, 4 + length + 4 * k * header.samples, header.samples), header.from);
  });
  changed();
  askNext();
}

/** Fetches anew what is shown of a key. An answer under way may be older than the event, so it is dropped. */
async function refresh(queryKey?: unknown[]) {
  await queries.cancelQueries({ queryKey });
  await queries.invalidateQueries({ queryKey });
}

/** What is to be fetched anew, by its key; whether that is planned or under way, and when it was done last. */
const due = new Map<string, unknown[]>();
let refreshing = false;
let refreshedAt = 0;
/** Milliseconds between two times that the same is fetched, while many lines change one after the other. */
const APART = 500;

/** Fetches anew what is shown of a key: at once, or together with what else changes shortly after the last time. */
function refreshSoon(queryKey: unknown[]) {
  due.set(JSON.stringify(queryKey), queryKey);
  refreshDue();
}

function refreshDue() {
  if (refreshing || due.size === 0) return;
  refreshing = true;
  window.setTimeout(
    () => {
      const keys = [...due.values()];
      due.clear();
      void Promise.allSettled(keys.map(refresh)).then(() => {
        refreshing = false;
        refreshedAt = performance.now();
        refreshDue();
      });
    },
    Math.max(0, refreshedAt + APART - performance.now()),
  );
}

interface Event {
  type: string;
  batch?: Batch;
  id?: number;
  job?: Job;
  revision?: number;
  words?: string | null;
  gesture?: string | null;
  done?: number | null;
  problem?: string | null;
}

function hear(text: string) {
  const event = JSON.parse(text) as Event;
  if (event.type === 'job' && event.job) {
    const job = event.job;
    queries.setQueryData<Job[]>(['jobs'], (old) => {
      const rest = (old ?? []).filter((j) => j.id !== job.id);
      return [...rest, job].sort((a, b) => a.id - b.id);
    });
    return;
  }
  if (event.type === 'batch') {
    queries.setQueryData(['batch'], event.batch);
    return;
  }
  if (event.type === 'line' || event.type === 'state') {
    refreshSoon(['lines']);
    refreshSoon(['scene']);
    void refresh(['cause', event.id]);
    void refresh(['findings', event.id]);
    // Of a change that was made here the answer brings the line.
    if (event.type === 'state' || !isOwn(event.gesture ?? null)) {
      void refresh(['line', event.id]);
      if (event.type === 'line' && event.id === wanted?.line && event.words) sayElsewhere(event.words);
    }
    if (event.id === wanted?.line) askAll();
    return;
  }
  if (event.type === 'wiring') {
    void refresh(['cast']);
    void refresh(['scene']);
    if (!isOwn(event.gesture ?? null)) {
      void refresh(['castMember', event.id]);
      if (get().place === 'cast' && get().castMember === event.id && event.words) sayElsewhere(event.words);
    }
    void refresh(['findings']);
    askAll();
    return;
  }
  if (event.type === 'shaping') {
    const { id, done = null, problem } = event;
    queries.setQueryData<Shapes>(['shapes', id], (old) => old && { ...old, under_way: done });
    if (done === null) void refresh(['shapes', id]);
    if (problem) tell(new Error(problem));
    return;
  }
  if (event.type === 'poses') {
    void refresh(['poses']);
    void refresh(['curveSets']);
    return;
  }
  if (event.type === 'deliveries') {
    void refresh(['deliveries']);
    return;
  }
  void refresh();
  askAll();
}

/** A WebSocket to a path of the server that this page is from. */
export function socketTo(path: string): WebSocket {
  const scheme = location.protocol === 'https:' ? 'wss' : 'ws';
  return new WebSocket(`${scheme}://${location.host}${path}`);
}

const opened = new Set<() => void>();
/** Calls whenever the line to the server was opened. */
export const onConnected = (then: () => void) => opened.add(then);

/** Opens the line to the server and opens it again whenever it breaks. */
export function connect() {
  socket = socketTo('/api/live');
  socket.binaryType = 'arraybuffer';
  socket.onopen = () => {
    connected = true;
    opened.forEach((f) => f());
    void refresh();
    askAll();
    changed();
  };
  socket.onmessage = (message: MessageEvent<string | ArrayBuffer>) => {
    if (typeof message.data === 'string') hear(message.data);
    else take(message.data);
  };
  socket.onclose = () => {
    connected = false;
    // What was asked is never answered.
    asking = false;
    changed();
    setTimeout(connect, 1000);
  };
}

/** What plays here, and where: heard by programs that the face is sent to. */
export interface Whereabouts {
  line: number;
  time: number;
  at: number;
  speed: number;
  stops: number;
  repeats: [number, number] | null;
  goes_on: boolean;
}

/** Says what plays here now; nothing, where no line is shown. */
export function sayWhere(playing: Whereabouts | null) {
  if (socket?.readyState === WebSocket.OPEN) socket.send(JSON.stringify({ playing }));
}

/** Says which line's curves are looked at, how long it is and from where on, in seconds. */
export function want(line: number, duration: number, at = 0) {
  const samples = Math.ceil(duration * HZ) + HZ;
  if (wanted?.line === line) return;
  wanted = { line, at: Math.floor(at * HZ), samples };
  compared = null;
  queue = [];
  shown.clear();
  changed();
  askAll();
}

/** Says which snapshot is compared with; none stops comparing. */
export function compare(snapshot: number | null) {
  if (compared !== null) shown.delete(compared);
  queue = queue.filter((w) => w.snapshot === null);
  compared = snapshot;
  changed();
  if (snapshot === null) return;
  queue = [...queue, ...windowsOf(snapshot)];
  askNext();
}

/** What is performed live: the values of the wiring's targets, as the server made them last. */
let performedNow: Float32Array | null = null;
let performedValues: [ControlName, number][] = [];
let performing = false;
let asking = false;

/** Asks how the face looks with what is performed on a pad; one question is under way at a time. Whether it was asked. */
export function perform(question: {
  perform: number;
  time: number;
  laid: 'add' | 'replace';
  pad: string;
  x: number;
  y: number;
  regions: RegionName[];
  pose?: Pose;
}): boolean {
  performing = true;
  if (asking || socket?.readyState !== WebSocket.OPEN) return false;
  asking = true;
  socket.send(JSON.stringify(question));
  return true;
}

/** Shows a face that was made from a voice, until nothing is performed any more. */
export function showPerformed(outputs: number[]) {
  performing = true;
  performedNow = Float32Array.from(outputs);
}

export const performed = () => performedNow;

/** What was performed last, control by control. */
export const performedControls = () => performedValues;

/** Nothing is performed any more. */
export function performNothing() {
  performedNow = null;
  performedValues = [];
  performing = false;
  asking = false;
}

const subscribe = (listener: () => void) => {
  listeners.add(listener);
  return () => listeners.delete(listener);
};

/** The newest curves; arrays are filled in place as they come. */
export const currentCurves = () => shown.get(null) ?? null;
export const comparedCurves = () => (compared === null ? null : (shown.get(compared) ?? null));
export const onCurves = subscribe;
let elsewhere: string | null = null;
let forgetting = 0;
/** Milliseconds that what another page did stays in the bar. */
const TOLD = 6000;
function sayElsewhere(words: string) {
  elsewhere = words;
  changed();
  window.clearTimeout(forgetting);
  forgetting = window.setTimeout(() => {
    elsewhere = null;
    changed();
  }, TOLD);
}
/** What another page just did to the line that is open, in words. */
export const useElsewhere = () => useSyncExternalStore(subscribe, () => elsewhere);
export const useConnected = () => useSyncExternalStore(subscribe, () => connected);
