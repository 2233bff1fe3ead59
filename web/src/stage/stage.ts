// The character on its dark stage, with a close-up of the mouth that stays locked to the head.

import {
  ACESFilmicToneMapping,
  type Box3,
  Color,
  DirectionalLight,
  HemisphereLight,
  Matrix4,
  type Object3D,
  PMREMGenerator,
  PerspectiveCamera,
  Plane,
  Quaternion,
  Raycaster,
  SRGBColorSpace,
  Scene,
  Vector2,
  Vector3,
  WebGLRenderer,
} from 'three';
import { OrbitControls } from 'three/addons/controls/OrbitControls.js';
import { RoomEnvironment } from 'three/addons/environments/RoomEnvironment.js';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import type { CastMember, Target } from '../api/client';
import { frameOf } from './framing';
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

/** Where the face's middle lies in a picture with a close-up, as a share of its width. */
const SPLIT = 0.38;

/** A joint and its pose at rest. */
interface Joint {
  node: Object3D;
  rotation: Quaternion;
  position: Vector3;
  scale: Vector3;
}

/** Least share of its size that a joint keeps; the same as on delivery. */
const SMALLEST = 0.01;

/** A node by the name it has in its file; the loader takes some letters out of its own names. */
function named(root: Object3D, name: string): Object3D | null {
  let found: Object3D | null = null;
  root.traverse((o) => {
    if (!found && (o.userData.name === name || o.name === name)) found = o;
  });
  return found;
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
  private member: CastMember | null = null;
  private targets: Target[] = [];
  /** The values of the targets that are on screen. */
  private shown: number[] = [];
  private peeked: string | null = null;
  private dirty = true;
  /** The values of both poses that stand side by side. */
  private beside: number[] | null = null;
  private drawn = false;
  /** The head, and where the camera last was against it, while the camera keeps to it. */
  private kept: { head: Object3D; last: Matrix4 } | null = null;
  /** Where the character looks from, and how far before it the pane stands on which places are pointed at. */
  private looksFrom = { eyes: new Vector3(), pane: 1 };

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

  /** Loads the character's model; the way it is wired may change later without that. */
  async load(member: CastMember) {
    const gltf = await new GLTFLoader().loadAsync(`/api/cast/${member.id}/model?v=${member.model}`);
    if (this.model) this.scene.remove(this.model);
    this.model = gltf.scene;
    this.scene.add(gltf.scene);
    this.face = new MorphedFace(gltf.scene);
    this.joints.clear();
    this.wire(member);
    this.frame();
  }

  /** Takes up what the character's wiring drives. */
  wire(member: CastMember) {
    this.member = member;
    this.targets = member.targets;
    this.shown = [];
    if (!this.model) return;
    this.rest();
    for (const target of member.targets) {
      if (target.kind === 'morph' || this.joints.has(target.node)) continue;
      const node = named(this.model, target.node);
      if (!node) continue;
      const [rotation, position, scale] = [
        node.quaternion.clone(),
        node.position.clone(),
        node.scale.clone(),
      ];
      this.joints.set(target.node, { node, rotation, position, scale });
    }
    this.touch();
  }

  /** The camera as it stands, though no picture may have been drawn since it was moved. */
  private placed(): PerspectiveCamera {
    this.camera.updateMatrixWorld();
    return this.camera;
  }

  private rest() {
    this.face?.rest();
    for (const { node, rotation, position, scale } of this.joints.values()) {
      node.quaternion.copy(rotation);
      node.position.copy(position);
      node.scale.copy(scale);
      node.visible = true;
    }
  }

  /** Lets the camera keep to the head, or stand. */
  lock(locked: boolean) {
    const head = this.model && named(this.model, 'head');
    if (!locked || !head) {
      this.kept = null;
      return;
    }
    head.updateWorldMatrix(true, false);
    this.kept = { head, last: head.matrixWorld.clone() };
  }

  /** Moves the camera as the head moved since the last picture. */
  private keepTo() {
    if (!this.kept) return;
    const { head, last } = this.kept;
    head.updateWorldMatrix(true, false);
    if (head.matrixWorld.equals(last)) return;
    const moved = head.matrixWorld.clone().multiply(last.invert());
    this.camera.position.applyMatrix4(moved);
    this.controls.target.applyMatrix4(moved);
    this.camera.up.transformDirection(moved);
    this.camera.lookAt(this.controls.target);
    this.kept.last = head.matrixWorld.clone();
  }

  /** Looks at the face from a side: 0 is the front, degrees to the right of it, and how near. */
  lookFrom(degrees: number, near = 1) {
    this.frame();
    const away = this.camera.position.clone().sub(this.controls.target);
    const far = away.length() * near;
    const turn = (degrees * Math.PI) / 180;
    this.camera.position
      .copy(this.controls.target)
      .add(new Vector3(-far * Math.sin(turn), far * 0.03, far * Math.cos(turn)));
    this.controls.update();
    this.touch();
  }

  /** Puts the face into the picture and the close-up on its mouth. */
  frame() {
    if (!this.model || !this.member) return;
    this.model.updateMatrixWorld(true);
    const head = named(this.model, 'head') ?? this.model;
    const { face, whole, mouth, mouthHeight } = frameOf(
      this.model,
      this.member,
      (name) => this.joints.get(name)?.node,
    );
    const size = face.getSize(new Vector3());
    const centre = face.getCenter(new Vector3());
    // A skin is cut at the neck and looked at nearer; a head made of parts is shown whole.
    const [middle, half] = whole ? [0.5, 0.54] : [0.45, 0.47];
    const look = new Vector3(centre.x, face.max.y - size.y * middle, centre.z);
    const distance = (size.y * half) / Math.tan((this.camera.fov * Math.PI) / 360);
    this.looksFrom = { eyes: this.eyesOf(face), pane: 0.42 * size.y };
    const turn = 0.3;
    this.camera.up.set(0, 1, 0);
    this.controls.target.copy(look);
    this.camera.position.set(
      look.x - distance * Math.sin(turn),
      look.y + distance * 0.03,
      look.z + distance * Math.cos(turn),
    );
    this.controls.minDistance = distance * 0.3;
    this.controls.maxDistance = distance * 3;
    this.controls.update();
    const near = mouthHeight / Math.tan((this.closeUp.fov * Math.PI) / 360);
    this.closeUp.position.set(mouth.x - near * 0.2, mouth.y + near * 0.04, face.max.z + near);
    this.closeUp.lookAt(mouth.x, mouth.y, face.max.z);
    head.attach(this.closeUp);
    this.touch();
  }

  /** Between the joints that turn with the gaze, or where eyes lie in most faces. */
  private eyesOf(face: Box3): Vector3 {
    const gaze = this.member?.wiring.outputs.filter(
      (o) => o.target.kind === 'rotation' && o.feeds.some((f) => f.control === 'gaze_yaw'),
    );
    const places = (gaze ?? []).flatMap((o) => {
      const joint = o.target.kind === 'rotation' ? this.joints.get(o.target.node) : undefined;
      return joint ? [joint.node.getWorldPosition(new Vector3())] : [];
    });
    const middle = face.getCenter(new Vector3());
    middle.y = face.min.y + 0.58 * (face.max.y - face.min.y);
    if (places.length > 0) {
      middle.set(0, 0, 0);
      places.forEach((p) => middle.addScaledVector(p, 1 / places.length));
    }
    return middle;
  }

  /** Where in the picture (shares of its width and height) a direction from the eyes meets the pane before the face;
   * degrees to the character's left and down. None where the pane is not seen from the front. */
  placeOf(yaw: number, pitch: number): [number, number] | null {
    const { eyes, pane } = this.looksFrom;
    if (this.camera.position.z < eyes.z + 1.1 * pane) return null;
    const [y, p] = [yaw, pitch].map((d) => (Math.max(-80, Math.min(80, d)) * Math.PI) / 180) as [
      number,
      number,
    ];
    const at = new Vector3(
      eyes.x + pane * Math.tan(y),
      eyes.y - (pane * Math.tan(p)) / Math.cos(y),
      eyes.z + pane,
    ).project(this.placed());
    return [(at.x + 1) / 2, (1 - at.y) / 2];
  }

  /** The direction from the eyes to a place of the picture, as `placeOf` has it. */
  directionAt(x: number, y: number): { yaw: number; pitch: number } | null {
    const { eyes, pane } = this.looksFrom;
    const ray = new Raycaster();
    ray.setFromCamera(new Vector2(2 * x - 1, 1 - 2 * y), this.placed());
    const at = ray.ray.intersectPlane(new Plane(new Vector3(0, 0, 1), -(eyes.z + pane)), new Vector3());
    if (!at) return null;
    const [dx, dy] = [at.x - eyes.x, at.y - eyes.y];
    const degrees = (rad: number) => Math.round((rad * 1800) / Math.PI) / 10;
    return { yaw: degrees(Math.atan2(dx, pane)), pitch: degrees(Math.atan2(-dy, Math.hypot(dx, pane))) };
  }

  /** Shows the values of the targets, in their order; one shape may be shown in full besides. */
  pose(values: (target: number) => number, peek: string | null = null) {
    if (!this.face) return;
    if (this.peeked && this.peeked !== peek) this.face.set(this.peeked, 0);
    this.peeked = peek;
    let moved = this.shown.length === 0;
    this.targets.forEach((target, i) => {
      const value = values(i);
      if (target.kind !== 'morph' && this.shown[i] !== value) moved = true;
      this.shown[i] = value;
      if (target.kind === 'morph') this.face?.set(target.name, value);
    });
    if (peek) this.face.set(peek, 1);
    if (moved) {
      this.poseJoints();
      this.keepTo();
    }
    if (this.face.update() || moved) this.touch();
  }

  private poseJoints() {
    for (const { node, rotation, position, scale } of this.joints.values()) {
      node.quaternion.copy(rotation);
      node.position.copy(position);
      node.scale.copy(scale);
    }
    const turn = new Quaternion();
    const hidden = new Map<Object3D, boolean>();
    this.targets.forEach((target, i) => {
      if (target.kind === 'morph') return;
      const node = this.joints.get(target.node)?.node;
      const value = this.shown[i] ?? 0;
      if (!node) return;
      if (target.kind === 'shown') {
        hidden.set(node, value < 0.5);
        return;
      }
      const axis = new Vector3(...(target.axis as [number, number, number]));
      if (target.kind === 'rotation') {
        node.quaternion.multiply(turn.setFromAxisAngle(axis.normalize(), (value * Math.PI) / 180));
      } else if (target.kind === 'translation') {
        node.position.addScaledVector(axis, value);
      } else {
        const size = (k: number) => Math.max(1 + value * k, SMALLEST);
        node.scale.multiply(new Vector3(size(axis.x), size(axis.y), size(axis.z)));
      }
    });
    for (const [node, away] of hidden) node.visible = !away;
  }

  /** Whether the character is on the canvas, in this turn of the page's loop. */
  isDrawn(): boolean {
    return this.drawn;
  }

  /** How far the face is from its rest: the largest move of a vertex, and of a joint, for tests. */
  shift(): number {
    let far = this.face?.shift() ?? 0;
    for (const { node, rotation, position, scale } of this.joints.values()) {
      far = Math.max(far, node.position.distanceTo(position), node.quaternion.angleTo(rotation));
      far = Math.max(far, node.scale.distanceTo(scale));
    }
    return far;
  }

  /** The target that moves the skin most at a place of the picture, shares of its width and height; -1 for none. */
  pointAt(x: number, y: number): number {
    if (!this.model || !this.face) return -1;
    const inside =
      this.inset && x > INSET.x && x < INSET.x + INSET.width && y > INSET.y && y < INSET.y + INSET.height;
    const [u, v] = inside ? [(x - INSET.x) / INSET.width, (y - INSET.y) / INSET.height] : [x, y];
    const ray = new Raycaster();
    ray.setFromCamera(new Vector2(2 * u - 1, 1 - 2 * v), inside ? this.closeUp : this.placed());
    const [hit] = ray.intersectObject(this.model, true);
    const name = hit?.face ? this.face.strongest(hit.object, hit.face.a) : null;
    return this.targets.findIndex((t) => t.kind === 'morph' && t.name === name);
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
    if (this.beside) this.touch();
    this.beside = null;
    this.drawn = this.dirty && this.model !== null;
    if (!this.drawn) return;
    this.dirty = false;
    this.paint(0, 1);
  }

  /** Draws one pose in the left half of the face and another in the right, if something changed. */
  drawBeside(left: (target: number) => number, right: (target: number) => number) {
    const now = [left, right].flatMap((value) => this.targets.map((_, i) => value(i)));
    const same = this.beside?.length === now.length && now.every((v, i) => v === this.beside?.[i]);
    this.drawn = this.model !== null && (this.dirty || !same);
    if (!this.drawn) return;
    this.beside = now;
    // The close-up lies in the right half, so the left one comes last.
    this.pose(right);
    this.paint(0.5, 1);
    this.pose(left);
    this.paint(0, 0.5);
    this.dirty = false;
  }

  /** Draws the face, and the close-up, from one share of their widths to another. */
  private paint(from: number, to: number) {
    const { x: width, y: height } = this.renderer.getSize(new Vector2());
    // The face's middle is left of the picture's, where the close-up lies at the right.
    const middle = this.inset ? SPLIT : 0.5;
    const edge = (share: number) => (share === 0.5 ? middle : share) * width;
    this.renderer.setScissorTest(to - from < 1);
    this.renderer.setScissor(edge(from), 0, edge(to) - edge(from), height);
    this.renderer.setViewport(0, 0, width, height);
    this.renderer.render(this.scene, this.camera);
    if (!this.inset) return;
    const [x, y] = [INSET.x * width, (1 - INSET.y - INSET.height) * height];
    const [w, h] = [INSET.width * width, INSET.height * height];
    this.closeUp.aspect = w / h;
    this.closeUp.updateProjectionMatrix();
    this.renderer.setScissorTest(true);
    this.renderer.setScissor(x + from * w, y, (to - from) * w, h);
    this.renderer.setViewport(x, y, w, h);
    this.renderer.render(this.scene, this.closeUp);
  }

  dispose() {
    this.controls.dispose();
    this.renderer.dispose();
  }
}
