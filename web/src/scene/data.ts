// What is open of a scene: its document as the server evaluated it, the curves of all its characters, what is chosen.

import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { create } from 'zustand';
import type { Row } from '../deliver/order';
import {
  type Movie,
  type Reaction,
  type SceneOp,
  type SceneTurn,
  type SceneView,
  api,
  fetched,
} from '../api/client';
import { produce } from '../api/production';
import { frameAt } from '../score/time';
import { get } from '../state';

/** What is chosen on the strip. */
export type Chosen = { what: 'line'; entry: number } | { what: 'reaction'; key: string };

export type Tab = 'scene' | 'listening' | 'stage' | 'deliver';

interface State {
  chosen: Chosen | null;
  tab: Tab;
  /** The character whose listening is worked on. */
  listener: string | null;
  /** How many times the strip is wider than its place. */
  zoom: number;
  /** The character that is looked at from near. */
  near: string | null;
  /** What goes out of a scene, kept while one is at other places. */
  order: { rows: Row[]; movie: Movie | null };
}

export const useStrip = create<State>(() => ({
  chosen: null,
  tab: 'scene',
  listener: null,
  zoom: 1,
  near: null,
  order: { rows: ['glb', 'wav'], movie: null },
}));

export const strip = useStrip.setState;

export const useSceneView = (id: number | null) =>
  useQuery({
    queryKey: ['scene', id],
    queryFn: () => api.scene(id ?? 0),
    enabled: id !== null,
    placeholderData: keepPreviousData,
  });

/** What every character's targets do, frame by frame. */
export interface SceneCurves {
  frames: number;
  words: { text: string; first: number; last: number }[];
  actors: { targets: number; values: Float32Array }[];
}

function read(bytes: ArrayBuffer): SceneCurves {
  const length = new DataView(bytes).getUint32(0, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(bytes, 4, length))) as {
    frames: number;
    targets: number[];
    words: SceneCurves['words'];
  };
  let at = 4 + length;
  const actors = header.targets.map((targets) => {
    const values = new Float32Array(bytes, at, header.frames * targets);
    at += values.byteLength;
    return { targets, values };
  });
  return { frames: header.frames, words: header.words, actors };
}

/** How the curves of a scene in one of its states are asked for; that state never changes. */
const curvesOf = ({ id, stamp }: SceneView) => ({
  queryKey: ['sceneCurves', id, stamp],
  queryFn: async () => read(await api.sceneCurves(id)),
  staleTime: Infinity,
  gcTime: 30_000,
});

export const fetchCurves = (scene: SceneView) => fetched(curvesOf(scene));

export const useCurves = (scene: SceneView) =>
  useQuery({ ...curvesOf(scene), placeholderData: keepPreviousData });

/** The values of a character's targets in a frame from 0. */
export function valuesAt(curves: SceneCurves | undefined, actor: number, frame: number) {
  const own = curves?.actors[actor];
  const at = Math.max(0, Math.min((curves?.frames ?? 1) - 1, frame)) * (own?.targets ?? 0);
  return (target: number) => own?.values[at + target] ?? 0;
}

/** What is sent is sent one after the other, each when the page shows what came of the one before. */
let last: Promise<unknown> = Promise.resolve();

/** Changes the open scene; a function is asked for what is to be done when it is its turn. */
export function change(op: SceneOp | (() => SceneOp | null), scene = get().scene) {
  const send = () => {
    const now = typeof op === 'function' ? op() : op;
    return now && scene !== null ? produce({ do: 'scene', id: scene, change: now }) : null;
  };
  const made = last.then(send);
  last = made.catch(() => null);
  return made;
}

/** Names a reaction as long as it is the same one. */
export const keyOf = (r: Reaction) =>
  r.rule ? `${r.rule.character} ${r.rule.entry} ${r.rule.kind} ${r.rule.place}` : `own ${r.id ?? 0}`;

export const reactionsOf = (scene: SceneView): Reaction[] => scene.actors.flatMap((a) => a.reactions);

export const chosenTurn = (scene: SceneView, chosen: Chosen | null): SceneTurn | undefined =>
  chosen?.what === 'line' ? scene.turns.find((t) => t.entry === chosen.entry) : undefined;

export const chosenReaction = (scene: SceneView, chosen: Chosen | null): Reaction | undefined =>
  chosen?.what === 'reaction' ? reactionsOf(scene).find((r) => keyOf(r) === chosen.key) : undefined;

/** What a character is called. */
export const titleOf = (scene: SceneView, character: string | null | undefined) =>
  scene.actors.find((a) => a.character === character)?.title ?? character ?? 'nobody';

/** The frame in which something begins; its time may have been rounded. */
export const frameOf = ({ grid }: SceneView, time: number) => frameAt(grid, Math.max(0, time) + 1e-4);

/** Seconds of the whole scene. */
export const lengthOf = ({ frames, grid }: SceneView) => (frames * grid.rate.den) / grid.rate.num;

/** What makes a reaction another one: one of the rule's becomes one of the hand's. */
export function reactionOp(
  scene: SceneView,
  r: Reaction,
  by: Partial<Pick<Reaction, 'from' | 'to' | 'does'>>,
): SceneOp {
  const start = scene.turns.find((t) => t.entry === r.entry)?.start ?? 0;
  const { from, to, does } = { ...r, ...by };
  const when = { from: from - start, to: Math.max(from, to) - start };
  if (r.id != null) return { do: 'change_reaction', id: r.id, ...when, does };
  const { character, entry, rule } = r;
  return { do: 'react', reaction: { character, entry, ...when, does, instead: rule } };
}

export const putReaction = (...of: Parameters<typeof reactionOp>) => change(reactionOp(...of));

export const dropReaction = (r: Reaction) => {
  if (r.id != null) return change({ do: 'drop_reaction', id: r.id });
  return r.rule ? change({ do: 'drop_rule', rule: r.rule }) : Promise.resolve(null);
};
