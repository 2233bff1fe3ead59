// The test walk: every control one after another, then every sound, then a short line.

import { create } from 'zustand';
import { type ControlName } from '../api/client';
import { tell } from '../widgets/tell';
import { at } from '../score/line';
import { get as view } from '../state';

export interface Step {
  of: { kind: 'control'; control: ControlName } | { kind: 'sound'; phone: string } | { kind: 'line' };
  span: { start: number; end: number };
}

interface Walk {
  hz: number;
  steps: Step[];
  lineStart: number;
  values: Float32Array[];
}

interface Walking {
  walk: Walk | null;
  /** Which step is shown; none while nothing plays. */
  step: number | null;
}

export const useWalk = create<Walking>(() => ({ walk: null, step: null }));

/** Where each part of the walk begins. */
export type Part = 'control' | 'sound' | 'line';

let startedAt = 0;
let sound: HTMLAudioElement | null = null;
let timer = 0;

async function load(member: number): Promise<Walk> {
  const response = await fetch(`/api/cast/${member}/walk`);
  if (!response.ok) throw new Error('The walk could not be made; see that the character is wired.');
  const bytes = await response.arrayBuffer();
  const length = new DataView(bytes).getUint32(0, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(bytes, 4, length))) as {
    hz: number;
    samples: number;
    outputs: number;
    steps: Step[];
    line_start: number;
  };
  const values = Array.from(
    { length: header.outputs },
    (_, k) => new Float32Array(bytes, 4 + length + 4 * k * header.samples, header.samples),
  );
  return { hz: header.hz, steps: header.steps, lineStart: header.line_start, values };
}

/** Seconds into the walk. While the line is heard, its sound is the clock. */
function now(walk: Walk): number {
  if (sound && !sound.paused && sound.currentTime > 0) return walk.lineStart + sound.currentTime;
  return (performance.now() - startedAt) / 1000;
}

function follow() {
  const { walk, step } = useWalk.getState();
  if (!walk || step === null) return;
  const time = now(walk);
  if (time >= walk.lineStart && !sound) {
    sound = new Audio('/api/test-line');
    // Without a sound device the walk goes on in silence.
    sound.play().catch(() => undefined);
  }
  const next = walk.steps.findIndex((s) => time < s.span.end);
  if (next < 0) {
    stopWalk();
    return;
  }
  if (next !== step) useWalk.setState({ step: next });
  timer = requestAnimationFrame(follow);
}

export function stopWalk() {
  cancelAnimationFrame(timer);
  sound?.pause();
  sound = null;
  useWalk.setState({ step: null });
}

/** Plays the walk from one of its parts on. */
export async function startWalk(part: Part = 'control') {
  const member = view().castMember;
  if (member === null) return;
  stopWalk();
  try {
    const walk = await load(member);
    const first = walk.steps.findIndex((s) => s.of.kind === part);
    const step = walk.steps[first];
    if (!step) return;
    startedAt = performance.now() - step.span.start * 1000;
    useWalk.setState({ walk, step: first });
    follow();
  } catch (error) {
    tell(error);
  }
}

export const toggleWalk = () => (useWalk.getState().step === null ? void startWalk() : stopWalk());

/** What the walk shows now, or nothing while it does not play. */
export function walked(): ((target: number) => number) | null {
  const { walk, step } = useWalk.getState();
  if (!walk || step === null) return null;
  const position = now(walk) * walk.hz;
  return (target) => {
    const curve = walk.values[target];
    return curve ? at(curve, position) : 0;
  };
}
