// The points that are put on a face before it is given shapes: what they are, which side they are on, and where they stand now.

import { create } from 'zustand';
import { type LandmarkName, type Landmarks, type Shapes, api, queries } from '../api/client';
import type { Stage } from '../stage/stage';
import { ownGesture } from '../api/queue';
import { set } from '../state';
import { tell } from '../widgets/tell';

export type Place = [number, number, number];

interface Kind {
  name: LandmarkName;
  title: string;
  about: string;
  /** Where it is on the small picture of a face, 0..100. */
  at: [number, number];
  /** From where it is looked at, degrees to the character's left. */
  turn: number;
  /** Named on the picture by this colour of ours. */
  colour: string;
}

const kind = (
  name: LandmarkName,
  title: string,
  about: string,
  at: [number, number],
  turn: number,
  colour: string,
): Kind => ({ name, title, about, at, turn, colour });

export const KINDS: Kind[] = [
  kind(
    'eye_left_outer',
    'left eye, outer corner',
    'Where the lids meet, towards the ear.',
    [72, 39],
    25,
    'gaze',
  ),
  kind(
    'eye_left_inner',
    'left eye, inner corner',
    'Where the lids meet, towards the nose.',
    [57, 40],
    0,
    'gaze',
  ),
  kind(
    'eye_right_inner',
    'right eye, inner corner',
    'Where the lids meet, towards the nose.',
    [43, 40],
    0,
    'gaze',
  ),
  kind(
    'eye_right_outer',
    'right eye, outer corner',
    'Where the lids meet, towards the ear.',
    [28, 39],
    -25,
    'gaze',
  ),
  kind('nose', 'tip of the nose', 'Its foremost point.', [50, 56], 0, 'cheeks'),
  kind('mouth_left', 'mouth, left corner', 'Where the lips end, in the slit itself.', [61, 71], 20, 'lips'),
  kind(
    'mouth_right',
    'mouth, right corner',
    'Where the lips end, in the slit itself.',
    [39, 71],
    -20,
    'lips',
  ),
  kind(
    'lip_upper',
    'upper lip, middle',
    'The lower edge of the upper lip, where it meets the other.',
    [50, 69],
    0,
    'jaw',
  ),
  kind(
    'lip_lower',
    'lower lip, middle',
    'The upper edge of the lower lip, where it meets the other.',
    [50, 73],
    0,
    'jaw',
  ),
  kind('chin', 'chin', 'Furthest down and forward, where the throat begins.', [50, 90], 0, 'brows'),
  kind('ear_left', 'left ear, front', 'Before the ear, where the jaw hangs.', [87, 48], 70, 'head'),
  kind('ear_right', 'right ear, front', 'Before the ear, where the jaw hangs.', [13, 48], -70, 'head'),
  kind(
    'neck',
    'front of the neck',
    'In its middle, low, above the collar. It may be left out.',
    [50, 98],
    0,
    'brows',
  ),
];

/** The same point on the other side; itself in the middle. */
export const across = (name: LandmarkName): LandmarkName => {
  if (name.includes('left')) return name.replace('left', 'right') as LandmarkName;
  return name.replace('right', 'left') as LandmarkName;
};

interface Put {
  /** Of which character these are. */
  member: number | null;
  points: Landmarks | null;
  /** Those that were put by hand since they were proposed. */
  byHand: LandmarkName[];
  chosen: LandmarkName | null;
  /** Whether both sides move together, and whether the shapes are made even. */
  mirrored: boolean;
  symmetric: boolean;
  /** Whether eyes, head and neck get joints, where the character has none. */
  joints: boolean;
  /** Whether one of them opens the jaw, not a shape. */
  jaw: boolean;
  /** Whether lips of one surface are cut apart first, and lids from the eyes between them. */
  cutLips: boolean;
  cutLids: boolean;
  strengths: Record<string, number>;
  /** Whether the places where the fit is loose are shown. */
  loose: boolean;
}

export const usePut = create<Put>(() => ({
  member: null,
  points: null,
  byHand: [],
  chosen: null,
  mirrored: true,
  symmetric: false,
  joints: true,
  jaw: false,
  cutLips: false,
  cutLids: false,
  strengths: {},
  loose: false,
}));

export const put = usePut.setState;

/** Takes up what the server knows of a character, unless its points are being put already. */
export function takeUp(member: number, shapes: Shapes) {
  if (usePut.getState().member === member) return;
  put({
    member,
    points: shapes.landmarks,
    byHand: [],
    chosen: null,
    symmetric: shapes.made?.symmetric ?? false,
    joints: shapes.made?.joints ?? true,
    jaw: shapes.made?.jaw ?? false,
    cutLips: shapes.made?.cut_lips ?? false,
    cutLids: shapes.made?.cut_lids ?? false,
    strengths: shapes.made?.strengths ?? {},
    loose: false,
  });
}

/** Points as they were proposed or used last. */
export function putBack(shapes: Shapes) {
  put({ points: shapes.landmarks, byHand: [] });
}

export const placeOf = (points: Landmarks, name: LandmarkName): Place | null => {
  const at = points[name];
  return at ? [at[0] ?? 0, at[1] ?? 0, at[2] ?? 0] : null;
};

/** The plane between left and right. */
export function middleOf(points: Landmarks): number {
  const pairs: LandmarkName[] = ['eye_left_outer', 'eye_left_inner', 'mouth_left', 'ear_left'];
  const sums = pairs.map((p) => (placeOf(points, p)?.[0] ?? 0) + (placeOf(points, across(p))?.[0] ?? 0));
  return sums.reduce((a, b) => a + b, 0) / (2 * sums.length);
}

/** Puts a point, and its mate where both move together. */
export function move(name: LandmarkName, to: Place, mate: Place | null) {
  const { points, byHand } = usePut.getState();
  if (!points) return;
  const next = { ...points, [name]: to };
  const moved = [name];
  const other = across(name);
  if (mate && other !== name) {
    next[other] = mate;
    moved.push(other);
  }
  put({ points: next, chosen: name, byHand: [...new Set([...byHand, ...moved])] });
}

/** Begins to make the shapes. */
export async function make(member: number) {
  const { points, symmetric, joints, jaw, cutLips, cutLids, strengths } = usePut.getState();
  if (!points) return;
  // What comes of it is looked at here.
  set({ castTab: 'shapes' });
  try {
    queries.setQueryData(
      ['shapes', member],
      await api.makeShapes(member, {
        landmarks: points,
        symmetric,
        joints,
        jaw: joints && jaw,
        cut_lips: cutLips,
        cut_lids: cutLids,
        strengths,
        gesture: ownGesture(),
      }),
    );
  } catch (error) {
    tell(error);
  }
}

export async function cancel(member: number) {
  try {
    queries.setQueryData(['shapes', member], await api.cancelShapes(member));
  } catch (error) {
    tell(error);
  }
}

/** Puts the face that the points tell of into the picture. */
export function lookAtFace(stage: Stage | null, points: Landmarks | null, width: number) {
  if (!stage || !points) return;
  const [left, right] = [placeOf(points, 'eye_left_inner'), placeOf(points, 'eye_right_inner')];
  const chin = placeOf(points, 'chin');
  if (!left || !right || !chin) return;
  const middle = [0, 1, 2].map(
    (k) => 0.25 * ((left[k] ?? 0) + (right[k] ?? 0)) + 0.5 * (chin[k] ?? 0),
  ) as Place;
  stage.lookAtPoint(middle, Math.max(2.6 * width, 2.4 * Math.abs((left[1] ?? 0) - chin[1])), 0);
}
