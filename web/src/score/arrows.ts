// Arrow keys that move what is focused.

/** Seconds that an arrow key moves a thing. */
export const STEP = 0.04;

const WAYS: Partial<Record<string, { right: number; up: number }>> = {
  ArrowLeft: { right: -1, up: 0 },
  ArrowRight: { right: 1, up: 0 },
  ArrowUp: { right: 0, up: 1 },
  ArrowDown: { right: 0, up: -1 },
};

/** Which way an arrow key points; nothing of any other key. */
export const arrowOf = (event: React.KeyboardEvent) => WAYS[event.key];

/** Keeps a key from doing anything else. */
export function taken(event: React.KeyboardEvent) {
  event.preventDefault();
  event.stopPropagation();
}
