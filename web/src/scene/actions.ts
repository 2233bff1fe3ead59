// What keys and menus do with scenes.

import type { SceneSummary } from '../api/client';
import { produce } from '../api/production';
import { openScene as show } from '../state';

import { openScene } from '../score/open';
import { change, chosenReaction, chosenTurn, dropReaction, reactionOp, strip, useStrip } from './data';

/** Takes what is chosen out of the scene. */
export function deleteChosen() {
  const scene = openScene();
  const { chosen } = useStrip.getState();
  if (!scene) return;
  const turn = chosenTurn(scene, chosen);
  const reaction = chosenReaction(scene, chosen);
  if (turn) void change({ do: 'remove_lines', entries: [turn.entry] });
  if (reaction) void dropReaction(reaction);
  strip({ chosen: null });
}

/** Moves what is chosen by seconds, from where it is when it is its turn. */
export function moveChosen(by: number) {
  const { chosen } = useStrip.getState();
  void change(() => {
    const scene = openScene();
    const turn = scene && chosenTurn(scene, chosen);
    if (turn) return { do: 'start', entry: turn.entry, start: Math.max(0, turn.start + by) };
    const reaction = scene && chosenReaction(scene, chosen);
    return reaction ? reactionOp(scene, reaction, { from: reaction.from + by, to: reaction.to + by }) : null;
  });
}

/** Moves what is chosen by frames of the production. */
export function moveChosenFrames(frames: number) {
  const rate = openScene()?.grid.rate;
  if (rate) moveChosen((frames * rate.den) / rate.num);
}

export const zoomStrip = (factor: number) =>
  strip((s) => ({ zoom: Math.max(1, Math.min(60, s.zoom * factor)) }));

/** Makes a scene of lines and opens it. */
export async function newScene(scenes: SceneSummary[], lines: number[]) {
  const names = scenes.map((s) => s.name);
  const free = (n: number): string => (names.includes(`Scene ${n}`) ? free(n + 1) : `Scene ${n}`);
  const made = await produce({ do: 'new_scene', name: free(scenes.length + 1), lines });
  const [id] = made?.made ?? [];
  if (id !== undefined) show(id);
}

/** Puts a line into a scene, behind the others, and opens it. */
export async function intoScene(scene: number, line: number) {
  const made = await change({ do: 'add_lines', lines: [line], start: null }, scene);
  if (made) show(scene);
}
