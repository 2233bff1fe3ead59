// Small pictures of characters, taken on the stage and kept by this browser.

import { useSyncExternalStore } from 'react';

const SIZE = 92;
const listeners = new Set<() => void>();
const key = (model: string) => `jam-lips-face-${model}`;

export const picture = (model: string) => localStorage.getItem(key(model));

/** Keeps what a canvas shows now as the picture of a model. */
export function takePicture(model: string, canvas: HTMLCanvasElement) {
  const small = document.createElement('canvas');
  small.width = SIZE;
  small.height = SIZE;
  const side = Math.min(canvas.width, canvas.height) * 0.9;
  const left = (canvas.width - side) / 2;
  const top = (canvas.height - side) / 2;
  small.getContext('2d')?.drawImage(canvas, left, top, side, side, 0, 0, SIZE, SIZE);
  try {
    localStorage.setItem(key(model), small.toDataURL('image/jpeg', 0.85));
  } catch {
    // A full store keeps the letters instead.
    return;
  }
  listeners.forEach((l) => l());
}

const subscribe = (listener: () => void) => {
  listeners.add(listener);
  return () => listeners.delete(listener);
};

export const usePicture = (model: string) => useSyncExternalStore(subscribe, () => picture(model));
