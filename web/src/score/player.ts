// Sound and its clock. While it plays, the time on screen is that of the sound that is heard.

import { type Listen } from '../api/client';
import { tell } from '../widgets/tell';
import { settings, useSettings } from '../settings';
import { type Span, get, set } from '../state';
import { slower } from './slow';

let context: AudioContext | null = null;
let buffer: AudioBuffer | null = null;
let source: AudioBufferSourceNode | null = null;
let startedAt = 0;
let startedFrom = 0;
let loaded = '';
/** The stretch that is played; the whole sound if none was chosen. */
let only: Span | null = null;
let grains: AudioBufferSourceNode[] = [];
/** The sound as it plays slower, made when it is first wanted. */
let slow = new Map<number, AudioBuffer>();
/** How fast what is heard plays. */
let speed = 1;

/** How loud it is heard. */
let loudness: GainNode | null = null;

function audio(): AudioContext {
  if (!context) {
    context = new AudioContext({ latencyHint: 'interactive' });
    loudness = context.createGain();
    loudness.connect(context.destination);
    setLoudness();
  }
  return context;
}

/** Where everything that is heard goes. */
const outlet = (out: AudioContext): AudioNode => loudness ?? out.destination;

function setLoudness() {
  const { volume, muted } = settings();
  // As loudness is felt, not as the sample's size.
  loudness?.gain.setTargetAtTime(muted ? 0 : volume * volume, context?.currentTime ?? 0, 0.01);
}
useSettings.subscribe(setLoudness);

/** Fetches a line's sound by the name of its voice; what played stops. */
export const load = (line: number, voice: string, listen?: Listen | null) =>
  hear(`${line}`, voice, `/api/lines/${line}/sound?voice=${voice}`, listen?.only ?? null);

/** Fetches what is heard of a scene in one of its states. */
export const loadScene = (scene: number, stamp: string) =>
  hear(`scene-${scene}`, stamp, `/api/scenes/${scene}/sound?v=${stamp}`, null);

async function hear(what: string, state: string, address: string, stretch: Span | null) {
  only = stretch;
  const name = `${what} ${state}`;
  if (loaded === name) return;
  stop();
  // Another take of the same line keeps the place.
  const sameLine = loaded.split(' ')[0] === what;
  loaded = name;
  last = null;
  buffer = null;
  slow = new Map();
  if (!sameLine) set({ time: 0, loop: null, chosen: null });
  try {
    const response = await fetch(address);
    // Deleted meanwhile: whoever shows it tells of that.
    if (response.status === 404) {
      if (loaded === name) loaded = '';
      return;
    }
    if (!response.ok) throw new Error();
    const decoded = await audio().decodeAudioData(await response.arrayBuffer());
    if (loaded === name) buffer = decoded;
  } catch {
    if (loaded !== name) return;
    // Asked for again, it is fetched again.
    loaded = '';
    tell(new Error('The sound could not be fetched; it cannot be played.'), {
      does: 'Fetch it again',
      run: () => void hear(what, state, address, stretch),
    });
  }
}

const duration = () => buffer?.duration ?? 0;

/** Seconds of the sound being heard now, or where it stands. */
export function now(): number {
  if (!source || !context) return get().time;
  const latency = context.outputLatency || context.baseLatency || 0;
  return after(Math.max(0, context.currentTime - startedAt - latency) * speed);
}

/** Where it is after so many seconds of the sound since it was started. */
function after(elapsed: number): number {
  const loop = get().loop;
  const at = startedFrom + elapsed;
  if (loop && at >= loop.end && startedFrom < loop.end) {
    const length = Math.max(loop.end - loop.start, 0.02);
    return loop.start + ((at - loop.end) % length);
  }
  return Math.min(at, duration());
}

/** The sound's clock and the page's own at one moment, in seconds, by the device's own word, where it gives one: the
 * context's clock goes in steps. */
function clocks() {
  const { contextTime = 0, performanceTime = 0 } = context?.getOutputTimestamp() ?? {};
  return contextTime > 0 ? { sound: contextTime, page: performanceTime / 1000 } : null;
}

/** Which second is heard at which moment, in seconds of the page's own clock; how fast it goes on, and how far. */
export function heard() {
  const at = performance.now() / 1000;
  const stops = get().loop ? duration() : Math.min(only?.end ?? Infinity, duration());
  if (!source) return { time: get().time, at, speed: 0, stops };
  const clock = clocks();
  if (!clock) return { time: now(), at, speed, stops };
  const begins = Math.max(0, startedAt - clock.sound);
  return {
    time: after((clock.sound + begins - startedAt) * speed),
    at: clock.page + begins,
    speed,
    stops,
  };
}

/** Which second is heard at a moment of the page's own clock, in milliseconds as its events have it. */
export function heardAt(moment: number): number {
  const clock = source && clocks();
  if (!clock) return now();
  const elapsed = clock.sound + moment / 1000 - clock.page - startedAt;
  return after(Math.max(0, elapsed) * speed);
}

export function stop() {
  if (source) {
    const at = now();
    source.onended = null;
    source.stop();
    source = null;
    set({ time: at });
  }
  set({ playing: false });
}

export function play(from = get().time) {
  if (!buffer) return;
  if (source) stop();
  const { loop } = get();
  const out = audio();
  void out.resume();
  let start = loop ? (from >= loop.start && from < loop.end - 0.01 ? from : loop.start) : from;
  const [first, last] = loop
    ? [0, duration()]
    : [only?.start ?? 0, Math.min(only?.end ?? Infinity, duration())];
  if (start >= last - 0.01 || start < first) start = first;
  source = out.createBufferSource();
  speed = get().speed;
  source.buffer = atSpeed(out, buffer, speed);
  if (loop) {
    source.loop = true;
    source.loopStart = loop.start / speed;
    source.loopEnd = loop.end / speed;
  }
  source.connect(outlet(out));
  const playing = source;
  source.onended = () => {
    if (source === playing) {
      source = null;
      set({ playing: false, time: last });
    }
  };
  startedAt = out.currentTime + 0.01;
  startedFrom = start;
  if (loop) source.start(startedAt, start / speed);
  else source.start(startedAt, start / speed, (last - start) / speed);
  set({ playing: true, time: start });
}

function atSpeed(out: AudioContext, whole: AudioBuffer, wanted: number): AudioBuffer {
  if (wanted === 1) return whole;
  const made = slow.get(wanted) ?? slower(out, whole, wanted);
  slow.set(wanted, made);
  return made;
}

/** Full speed, half, a quarter, and again; what plays goes on. */
export function nextSpeed() {
  const next = { 1: 0.5, 0.5: 0.25, 0.25: 1 } as const;
  const was = get().playing;
  if (was) stop();
  set({ speed: next[get().speed] });
  if (was) play();
}

/** Plays some seconds around the playhead, over and over. */
export function around(seconds = 1) {
  const { time } = get();
  loop({ start: Math.max(0, time - seconds / 2), end: Math.min(time + seconds / 2, duration()) });
}

/** Shortest range that is looped, seconds. */
const SHORTEST = 0.05;

/** Loops from the playhead on. */
export function loopIn() {
  const { time, loop: now } = get();
  const end = now && now.end > time + SHORTEST ? now.end : duration();
  setLoop({ start: Math.min(time, Math.max(0, end - SHORTEST)), end });
}

/** Loops up to the playhead. */
export function loopOut() {
  const { time, loop: now } = get();
  const start = now && now.start < time - SHORTEST ? now.start : 0;
  setLoop({ start, end: Math.max(time, start + SHORTEST) });
}

/** Sets the range that is looped; what plays goes on in it. */
export function setLoop(span: Span | null) {
  if (span) last = span;
  if (span && span.end - span.start < SHORTEST) return;
  const was = get().playing;
  const at = now();
  if (was) stop();
  set({ loop: span });
  if (was) play(at);
}

let last: Span | null = null;

/** The range that was looped last. */
export const lastLoop = () => last;

export const isPlaying = () => source !== null;

export const toggle = () => (get().playing ? stop() : play());

/** Plays a stretch over and over, or stops doing so. */
export function loop(span: Span | null) {
  const was = get().playing;
  if (was) stop();
  if (span) last = span;
  set({ loop: span });
  if (span) set({ time: span.start });
  if (was || span) play(span?.start ?? get().time);
}

/** Brings a moment into view that lies outside of it. */
function follow(time: number) {
  const { view } = get();
  if (time >= view.start && time <= view.end) return;
  const length = view.end - view.start;
  const start = Math.max(0, time - length / 2);
  set({ view: { start, end: start + length } });
}

/** Goes to a moment; with a grain of its sound, so that scrubbing is heard. */
export function seek(time: number, audible = false) {
  const at = Math.max(0, Math.min(time, duration() || time));
  const was = get().playing;
  if (was && !audible) {
    play(at);
    return;
  }
  if (was) stop();
  set({ time: at });
  follow(at);
  if (!audible || !buffer) return;
  const out = audio();
  void out.resume();
  const length = 0.08;
  while (grains.length > 2) grains.shift()?.stop();
  const grain = out.createBufferSource();
  const gain = out.createGain();
  grain.buffer = buffer;
  const t = out.currentTime;
  gain.gain.setValueAtTime(0, t);
  gain.gain.linearRampToValueAtTime(1, t + 0.012);
  gain.gain.setValueAtTime(1, t + length - 0.02);
  gain.gain.linearRampToValueAtTime(0, t + length);
  grain.connect(gain).connect(outlet(out));
  grain.onended = () => {
    grains = grains.filter((g) => g !== grain);
  };
  grain.start(t, Math.max(0, at - length / 2), length);
  grains.push(grain);
}
