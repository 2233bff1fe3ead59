// What is written into a movie's pictures.

import type { Frames, Movie } from '../api/client';

type Cut = Omit<Frames, 'values'>;

/** The word that is said in a frame. */
const wordIn = (frames: Cut, frame: number) =>
  frames.words.find((w) => w.first <= frame && frame <= w.last)?.text ?? '';

/** Height of the strip at the foot of the picture; none if nothing is written. */
export const stripOf = (movie: Movie) =>
  movie.frame || movie.word || movie.name ? Math.round(movie.height * 0.085) : 0;

/** Writes a frame's number, word and name over the foot of its picture. */
export function burn(to: CanvasRenderingContext2D, movie: Movie, frames: Cut, index: number, name: string) {
  const { width, height } = movie;
  const strip = stripOf(movie);
  if (strip === 0) return;
  const middle = height - strip / 2;
  const size = Math.round(strip * 0.46);
  to.fillStyle = '#17131c';
  to.fillRect(0, height - strip, width, strip);
  to.textBaseline = 'middle';
  const edge = Math.round(strip * 0.45);
  const frame = frames.first_frame + index;
  if (movie.frame) {
    const { num, den } = frames.frame_rate;
    const seconds = ((frame - frames.sound_frame) * den) / num;
    to.font = `600 ${size}px "Figtree Variable", sans-serif`;
    to.fontKerning = 'none';
    to.textAlign = 'center';
    to.fillStyle = '#ffe9d6';
    // Digit by digit, each in a place of its own: the number does not dance.
    const step = to.measureText('0').width * 1.04;
    [...String(frame)].forEach((digit, i) => to.fillText(digit, edge + (i + 0.5) * step, middle));
    to.textAlign = 'left';
    to.fillStyle = '#b9a9b4';
    to.fillText(`${seconds.toFixed(2)} s`, edge + (String(frame).length + 1) * step, middle);
  }
  if (movie.word) {
    to.font = `640 ${Math.round(size * 1.15)}px "Fraunces Variable", serif`;
    to.textAlign = 'center';
    to.fillStyle = '#ffffff';
    to.fillText(wordIn(frames, frame), width / 2, middle, width * 0.4);
  }
  if (movie.name) {
    to.font = `500 ${Math.round(size * 0.8)}px "Figtree Variable", sans-serif`;
    to.textAlign = 'right';
    to.fillStyle = '#b9a9b4';
    to.fillText(name, width - edge, middle, width * 0.26);
  }
}

// What tests read burnt-in numbers by: the lower left of a frame's picture, how bright each pixel is.
Object.assign(window, {
  jamLipsBurnt: (movie: Movie, frames: Cut, index: number, name: string) => {
    const canvas = document.createElement('canvas');
    [canvas.width, canvas.height] = [movie.width, movie.height];
    const context = canvas.getContext('2d', { alpha: false });
    if (!context) return null;
    burn(context, movie, frames, index, name);
    const high = stripOf(movie);
    const { data } = context.getImageData(0, movie.height - high, Math.round(movie.width / 4), high);
    return Array.from({ length: data.length / 4 }, (_, i) => data[4 * i + 1]);
  },
});
