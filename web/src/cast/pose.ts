// How the character in the Cast is posed by hand. The server works out what the controls move.

import { create } from 'zustand';
import { type ControlName, type CastDetail, api, queries } from '../api/client';
import { tell } from '../widgets/tell';
import { partner } from './words';

interface Pose {
  controls: Partial<Record<ControlName, number>>;
  /** The kind of mouth that is shown, for a character with a chart. */
  mouth: string | null;
  /** What the pose moves, in the order of the character's targets. */
  values: number[];
  /** The control whose wiring is shown. */
  chosen: ControlName;
  /** Whether left and right are moved together. */
  both: boolean;
  /** A shape that is shown on its own, to see what it does. */
  peek: string | null;
}

export const usePose = create<Pose>(() => ({
  controls: {},
  mouth: null,
  values: [],
  chosen: 'jaw_open',
  both: true,
  peek: null,
}));

const get = usePose.getState;
const set = usePose.setState;

let asking = false;
let wanted: number | null = null;

/** Asks for what the pose moves on a character; one question is under way at a time, the newest counts. */
export function askPose(member: number) {
  wanted = member;
  if (!asking) void askOn();
}

async function askOn() {
  asking = true;
  try {
    while (wanted !== null) {
      const member = wanted;
      wanted = null;
      const { controls, mouth } = get();
      const { values } = await api.pose(member, controls as Record<string, number>, mouth);
      set({ values });
    }
  } catch (error) {
    tell(error);
  } finally {
    asking = false;
  }
}

export function setControl(member: number, control: ControlName, value: number) {
  const other = get().both ? partner(control) : null;
  const controls = { ...get().controls, [control]: value };
  if (other) controls[other] = value;
  set({ controls, chosen: control });
  askPose(member);
}

export function showMouth(member: number, mouth: string | null) {
  set({ mouth });
  askPose(member);
}

export function atRest(member: number | null) {
  set({ controls: {}, mouth: null });
  if (member !== null) askPose(member);
}

/** The values of the character's targets now. */
export const posed = () => {
  const { values } = get();
  return (target: number) => values[target] ?? 0;
};

/** The open character, if its answer has come. */
export const openDetail = (id: number | null) => queries.getQueryData<CastDetail>(['castMember', id]);
