// The stages that are on the page, for commands, which do not wait for the renderer.

/** Ways to look at the face. */
export type Way = 'front' | 'right' | 'left' | 'side' | 'mouth';

/** Degrees to the right of the front. */
export const TURNS: Record<Way, number> = { front: 0, right: 40, left: -40, side: 85, mouth: 0 };

interface Looked {
  frame: () => void;
  lookFrom: (way: Way) => void;
}

export const stages = new Set<Looked>();

/** Puts the face into the picture on every stage. */
export const frameStages = () => stages.forEach((s) => s.frame());

/** Looks at the face from a side, on every stage. */
export const lookFrom = (way: Way) => stages.forEach((s) => s.lookFrom(way));
