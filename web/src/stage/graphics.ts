// What draws, kept while one goes from one stage to the next: its programs are slow to make and the model slow to load.

import {
  ACESFilmicToneMapping,
  type Material,
  type Object3D,
  PMREMGenerator,
  SRGBColorSpace,
  type Texture,
  WebGLRenderer,
} from 'three';
import { RoomEnvironment } from 'three/addons/environments/RoomEnvironment.js';
import { meshesOf } from './framing';
import type { MorphedFace } from './morph';
import type { Skin } from './skin';

/** A character's model with its shapes, at rest. */
export interface Model {
  /** Of which character, and which state of its file. */
  key: string;
  scene: Object3D;
  face: MorphedFace;
  skin: Skin;
}

export interface Graphics {
  canvas: HTMLCanvasElement;
  renderer: WebGLRenderer;
  /** What the face mirrors. */
  room: Texture;
  /** The model that stands or stood last. */
  model: Model | null;
}

/** What no stage uses at the moment. */
let spare: Graphics | null = null;

function made(): Graphics {
  const canvas = document.createElement('canvas');
  const renderer = new WebGLRenderer({ canvas, antialias: true, preserveDrawingBuffer: false });
  renderer.outputColorSpace = SRGBColorSpace;
  renderer.toneMapping = ACESFilmicToneMapping;
  renderer.toneMappingExposure = 1.06;
  renderer.setPixelRatio(Math.min(devicePixelRatio, 2));
  const pmrem = new PMREMGenerator(renderer);
  const room = pmrem.fromScene(new RoomEnvironment(), 0.04).texture;
  pmrem.dispose();
  return { canvas, renderer, room, model: null };
}

/** Graphics for a stage, which gives them back. */
export function takeGraphics(): Graphics {
  const graphics = spare ?? made();
  spare = null;
  return graphics;
}

/** Takes graphics back: one is kept for the next stage, with its model. */
export function giveBack(graphics: Graphics) {
  graphics.canvas.remove();
  if (!spare) {
    spare = graphics;
    return;
  }
  if (graphics.model) free(graphics.model.scene);
  graphics.room.dispose();
  graphics.renderer.dispose();
}

/** Gives back what a model holds of the graphics' memory. */
export function free(root: Object3D) {
  for (const mesh of meshesOf(root)) {
    mesh.geometry.dispose();
    for (const material of [mesh.material].flat() as Material[]) {
      for (const value of Object.values(material) as unknown[]) {
        if ((value as Texture | null)?.isTexture) (value as Texture).dispose();
      }
      material.dispose();
    }
  }
}
