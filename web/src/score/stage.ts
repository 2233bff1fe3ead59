// The character on its dark stage, with a close-up of the mouth that stays locked to the head.

import {
  ACESFilmicToneMapping,
  Box3,
  Color,
  DirectionalLight,
  HemisphereLight,
  type Object3D,
  PMREMGenerator,
  PerspectiveCamera,
  Quaternion,
  SRGBColorSpace,
  Scene,
  Vector2,
  Vector3,
  WebGLRenderer,
} from 'three';
import { OrbitControls } from 'three/addons/controls/OrbitControls.js';
import { RoomEnvironment } from 'three/addons/environments/RoomEnvironment.js';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import type { Output } from '../api/client';
import { MorphedFace } from './morph';

/** A part of the canvas, as fractions from its upper left corner. */
interface Frame {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** Where the close-up lies; the same as `.stage .frame` in the styles. */
const INSET: Frame = { x: 0.724, y: 0.555, width: 0.26, height: 0.41 };

interface Joint {
  node: Object3D;
  rotation: Quaternion;
  position: Vector3;
}

export class Stage {
  private readonly renderer: WebGLRenderer;
  private readonly scene = new Scene();
  private readonly camera = new PerspectiveCamera(24, 1, 0.01, 50);
  private readonly closeUp = new PerspectiveCamera(17, 1, 0.01, 50);
  private readonly controls: OrbitControls;
  private readonly inset: boolean;
  private face: MorphedFace | null = null;
  private model: Object3D | null = null;
  private joints = new Map<string, Joint>();
  private outputs: Output[] = [];
  /** The values of the outputs that are on screen. */
  private shown: number[] = [];
  private dirty = true;

  constructor(canvas: HTMLCanvasElement, inset: boolean) {
    this.inset = inset;
    this.renderer = new WebGLRenderer({ canvas, antialias: true, preserveDrawingBuffer: false });
    this.renderer.outputColorSpace = SRGBColorSpace;
    this.renderer.toneMapping = ACESFilmicToneMapping;
    this.renderer.toneMappingExposure = 1.06;
    this.renderer.setPixelRatio(Math.min(devicePixelRatio, 2));
    this.scene.background = new Color('#241e2b');
    const pmrem = new PMREMGenerator(this.renderer);
    this.scene.environment = pmrem.fromScene(new RoomEnvironment(), 0.04).texture;
    this.scene.environmentIntensity = 0.32;
    pmrem.dispose();
    // A warm key from the front, a cool fill of more than half of it; no light from behind, which
    // would shine through into the mouth.
    const key = new DirectionalLight('#ffe6cc', 2.1);
    key.position.set(-1.5, 1.7, 3);
    const fill = new DirectionalLight('#bcd3ee', 1.2);
    fill.position.set(2.4, 0.3, 2);
    this.scene.add(key, fill, new HemisphereLight('#dfe9f2', '#5a4440', 0.55));
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.enablePan = false;
    this.controls.addEventListener('change', () => this.touch());
  }

  /** Says that the picture is out of date. */
  touch() {
    this.dirty = true;
  }

  async load(url: string, outputs: Output[]) {
    const gltf = await new GLTFLoader().loadAsync(url);
    if (this.model) this.scene.remove(this.model);
    this.outputs = outputs;
    this.model = gltf.scene;
    this.scene.add(gltf.scene);
    this.face = new MorphedFace(gltf.scene);
    this.joints.clear();
    for (const output of outputs) {
      if (output.target.kind === 'morph' || this.joints.has(output.target.node)) continue;
      const node = gltf.scene.getObjectByName(output.target.node);
      if (node) {
        const joint = { node, rotation: node.quaternion.clone(), position: node.position.clone() };
        this.joints.set(output.target.node, joint);
      }
    }
    this.frame();
  }

  /** Puts the face into the picture and the close-up on its mouth. */
  frame() {
    if (!this.model) return;
    this.model.updateMatrixWorld(true);
    const head = this.model.getObjectByName('head') ?? this.model;
    const skin = this.model.getObjectByName('skin') ?? head;
    const box = new Box3().setFromObject(skin);
    const size = box.getSize(new Vector3());
    const centre = box.getCenter(new Vector3());
    // Nearer than the whole head: from beard to brows.
    const look = new Vector3(centre.x, box.max.y - size.y * 0.45, centre.z);
    const distance = (size.y * 0.47) / Math.tan((this.camera.fov * Math.PI) / 360);
    const turn = 0.3;
    this.controls.target.copy(look);
    this.camera.position.set(
      look.x - distance * Math.sin(turn),
      look.y + distance * 0.03,
      look.z + distance * Math.cos(turn),
    );
    this.controls.minDistance = distance * 0.3;
    this.controls.maxDistance = distance * 3;
    this.controls.update();
    // The mouth: where teeth or tongue are, or the lower front third of the head.
    const inside = this.model.getObjectByName('teeth_upper') ?? this.model.getObjectByName('tongue');
    const mouth = inside ? new Box3().setFromObject(inside).getCenter(new Vector3()) : look.clone();
    mouth.y -= size.y * 0.012;
    const near = (size.y * 0.115) / Math.tan((this.closeUp.fov * Math.PI) / 360);
    this.closeUp.position.set(mouth.x - near * 0.2, mouth.y + near * 0.04, box.max.z + near);
    this.closeUp.lookAt(mouth.x, mouth.y, box.max.z);
    head.attach(this.closeUp);
    this.touch();
  }

  /** Shows the wiring's values, in the order of its outputs. */
  pose(values: (output: number) => number) {
    if (!this.face) return;
    const turn = new Quaternion();
    for (const joint of this.joints.values()) {
      joint.node.quaternion.copy(joint.rotation);
      joint.node.position.copy(joint.position);
    }
    let moved = false;
    this.outputs.forEach((output, i) => {
      const value = values(i);
      if (output.target.kind !== 'morph' && this.shown[i] !== value) moved = true;
      this.shown[i] = value;
      const target = output.target;
      if (target.kind === 'morph') {
        this.face?.set(target.name, value);
        return;
      }
      const joint = this.joints.get(target.node);
      const axis = new Vector3(...(target.axis as [number, number, number]));
      if (target.kind === 'rotation') {
        joint?.node.quaternion.multiply(turn.setFromAxisAngle(axis.normalize(), (value * Math.PI) / 180));
      } else {
        joint?.node.position.addScaledVector(axis, value);
      }
    });
    if (this.face.update() || moved) this.touch();
  }

  resize(width: number, height: number) {
    this.renderer.setSize(width, height, false);
    this.camera.aspect = width / height;
    // The close-up lies at the right, so the face goes to the left of it.
    if (this.inset) this.camera.setViewOffset(width, height, 0.12 * width, 0, width, height);
    this.camera.updateProjectionMatrix();
    this.touch();
  }

  /** Draws if something changed since the last time. */
  draw() {
    if (!this.dirty || !this.model) return;
    this.dirty = false;
    const { x: width, y: height } = this.renderer.getSize(new Vector2());
    this.renderer.setScissorTest(false);
    this.renderer.setViewport(0, 0, width, height);
    this.renderer.render(this.scene, this.camera);
    if (!this.inset) return;
    const [x, y] = [INSET.x * width, (1 - INSET.y - INSET.height) * height];
    const [w, h] = [INSET.width * width, INSET.height * height];
    this.closeUp.aspect = w / h;
    this.closeUp.updateProjectionMatrix();
    this.renderer.setScissorTest(true);
    this.renderer.setScissor(x, y, w, h);
    this.renderer.setViewport(x, y, w, h);
    this.renderer.render(this.scene, this.closeUp);
  }

  dispose() {
    this.controls.dispose();
    this.renderer.dispose();
  }
}
