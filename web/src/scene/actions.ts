// What keys do on the scene.

import { openScene } from '../score/open';
import { change, chosenReaction, chosenTurn, dropReaction, putReaction, strip, useStrip } from './data';

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

/** Moves what is chosen by seconds. */
export function moveChosen(by: number) {
  const scene = openScene();
  const { chosen } = useStrip.getState();
  if (!scene) return;
  const turn = chosenTurn(scene, chosen);
  const reaction = chosenReaction(scene, chosen);
  if (turn) void change({ do: 'start', entry: turn.entry, start: Math.max(0, turn.start + by) });
  if (reaction) void putReaction(scene, reaction, { from: reaction.from + by, to: reaction.to + by });
}

/** Moves what is chosen by frames of the production. */
export function moveChosenFrames(frames: number) {
  const rate = openScene()?.grid.rate;
  if (rate) moveChosen((frames * rate.den) / rate.num);
}

export const zoomStrip = (factor: number) =>
  strip((s) => ({ zoom: Math.max(1, Math.min(60, s.zoom * factor)) }));
