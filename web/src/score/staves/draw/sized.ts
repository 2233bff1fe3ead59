// A canvas in the pixels of the screen.

/** Makes a canvas as large as it is shown and empties it. Its memory is only given anew where its size changed: that is slow. */
export function sized(canvas: HTMLCanvasElement, c: CanvasRenderingContext2D, width: number, height: number) {
  const scale = devicePixelRatio || 1;
  const [w, h] = [Math.round(width * scale), Math.round(height * scale)];
  if (canvas.width !== w) canvas.width = w;
  if (canvas.height !== h) canvas.height = h;
  c.setTransform(scale, 0, 0, scale, 0, 0);
  c.clearRect(0, 0, width, height);
}
