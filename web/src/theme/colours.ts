// Day and night: as the system has it, until somebody chose.

type Turn = () => void;
let turn: Turn = () => undefined;

/** Says how the colours are turned; the page does so once. */
export const colourTurner = (how: Turn) => {
  turn = how;
};

/** Turns day into night, or back. */
export const turnColours = () => turn();
