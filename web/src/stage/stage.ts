// The character on its dark stage: the face, a second view from the side, and a close-up of the mouth that stays locked
// to the head.

import {
  Box3,
  BufferGeometry,
  Float32BufferAttribute,
  Matrix4,
  type Object3D,
  PerspectiveCamera,
  Plane,
  Points,
  PointsMaterial,
  type Ray,
  Raycaster,
  Scene,
  Vector2,
  Vector3,
  type WebGLRenderer,
} from 'three';
import { OrbitControls } from 'three/addons/controls/OrbitControls.js';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import type { CastMember } from '../api/client';
import { type Arrangement, type Frame, type Wish, arrange, inside } from './arrange';
import { type LipPoint, faceOf, headOf, lipPoints, placeOf } from './framing';
import { type Graphics, free, giveBack } from './graphics';
import { Actor, named } from './actor';
import { Lights } from './lights';
import { MorphedFace } from './morph';
import { type From, type NodeMoves, type Picked, Skin } from './skin';
import { TURNS, type Way } from './stages';

/** How the face is looked at first: a little from its left, degrees. */
const FIRST = 17;

/** Controls that the lips go farthest with: the close-up holds the mouth in each of them. */
const FARTHEST = [
  'jaw_open',
  'jaw_side',
  'lips_round',
  'lips_protrude',
  'lips_spread_left',
  'lips_spread_right',
  'lip_lower_drop_left',
  'lip_upper_raise_left',
  'mouth_side',
];

/** Where things are while the character rests. */
interface Rest {
  head: Object3D;
  /** The head's place in the world. */
  at: Matrix4;
  /** What is looked at, from how far, and the camera's place for the mouth. */
  target: Vector3;
  distance: number;
  mouth: Vector3;
  near: number;
  lips: LipPoint[];
}

export class Stage {
  private readonly renderer: WebGLRenderer;
  private readonly scene = new Scene();
  private readonly camera = new PerspectiveCamera(24, 1, 0.01, 50);
  private readonly beside = new PerspectiveCamera(24, 1, 0.01, 50);
  private readonly closeUp = new PerspectiveCamera(17, 1, 0.01, 50);
  private readonly controls: OrbitControls;
  private readonly lights: Lights;
  private wish: Wish;
  private arrangement: Arrangement;
  private actor: Actor | null = null;
  private restful: Rest | null = null;
  private member: CastMember | null = null;
  private dirty = true;
  /** The values of both poses that stand side by side. */
  private pair: number[] | null = null;
  private drawn = false;
  /** Where the head was when the camera was moved with it last, while it keeps to it. */
  private kept: Matrix4 | null = null;
  /** Whether somebody wants the camera to keep to the head, and whether a view does. */
  private keeps = { asked: false, near: false };
  private dots: Points<BufferGeometry, PointsMaterial> | null = null;
  /** Loads under way: only the newest counts. */
  private loads = 0;
  /** Where the character looks from, and how far before it the pane stands on which places are pointed at. */
  private looksFrom = { eyes: new Vector3(), pane: 1 };

  constructor(
    private readonly graphics: Graphics,
    wish: Wish,
  ) {
    this.wish = wish;
    this.arrangement = arrange(wish, 1, 1);
    this.renderer = graphics.renderer;
    this.lights = new Lights(this.scene, graphics.room);
    this.controls = new OrbitControls(this.camera, graphics.canvas);
    this.controls.enablePan = false;
    this.controls.rotateSpeed = 0.5;
    this.controls.zoomSpeed = 0.6;
    this.controls.addEventListener('change', () => this.touch());
  }

  light(fromSide: boolean) {
    this.lights.from(fromSide);
    this.touch();
  }

  /** Divides the picture otherwise. */
  arrange(wish: Wish) {
    this.wish = wish;
    const { x: width, y: height } = this.renderer.getSize(new Vector2());
    this.resize(width, height);
  }

  /** Says that the picture is out of date. */
  touch() {
    this.dirty = true;
  }

  /** Loads the character's model; the way it is wired may change later without that. False if another load came after. */
  async load(member: CastMember): Promise<boolean> {
    const own = ++this.loads;
    const key = `${member.id}/${member.model}`;
    // Another state of the same character is looked at from where the one before was.
    const again = this.member?.id === member.id;
    if (again && this.actor && this.graphics.model?.key === key) return true;
    if (this.graphics.model?.key !== key) {
      const gltf = await new GLTFLoader().loadAsync(`/api/cast/${member.id}/model?v=${member.model}`);
      if (own !== this.loads) {
        free(gltf.scene);
        return false;
      }
      const before = this.graphics.model;
      if (before) {
        this.scene.remove(before.scene);
        this.closeUp.removeFromParent();
        free(before.scene);
      }
      const face = new MorphedFace(gltf.scene);
      const skin = new Skin(gltf.scene, gltf.parser.associations as From, face);
      this.graphics.model = { key, scene: gltf.scene, face, skin };
    }
    const { scene, face } = this.graphics.model;
    this.actor = new Actor(scene, face);
    this.scene.add(scene);
    this.wire(member);
    this.measure(member);
    if (!again) this.frame();
    return true;
  }

  /** Takes up what the character's wiring drives. */
  wire(member: CastMember) {
    this.member = member;
    this.actor?.wire(member);
    this.touch();
  }

  /** Measures face and mouth while the character rests, and puts the close-up before the mouth, on the head. */
  private measure(member: CastMember) {
    const { actor } = this;
    if (!actor) return;
    const { model } = actor;
    model.updateMatrixWorld(true);
    const joint = (name: string) => actor.joint(name);
    const head = headOf(member, joint) ?? named(model, 'head') ?? model;
    const { box: face, whole } = faceOf(model, member, joint);
    const size = face.getSize(new Vector3());
    const centre = face.getCenter(new Vector3());
    // A skin is cut at the neck and looked at nearer; a head made of parts is shown whole.
    const [middle, half] = whole ? [0.5, 0.54] : [0.39, 0.56];
    const target = new Vector3(centre.x, face.max.y - size.y * middle, centre.z);
    const distance = (size.y * half) / Math.tan((this.camera.fov * Math.PI) / 360);
    this.looksFrom = { eyes: this.eyesOf(face), pane: 0.42 * size.y };
    const lips = lipPoints(model, member, joint);
    const reach = this.reachOf(lips, member);
    if (reach.isEmpty()) {
      const at = new Vector3(centre.x, face.min.y + size.y * 0.3, face.max.z);
      reach.setFromCenterAndSize(at, new Vector3(size.y * 0.3, size.y * 0.2, 0));
    }
    const mouth = reach.getCenter(new Vector3());
    mouth.z = Math.max(mouth.z, reach.max.z);
    const extent = reach.getSize(new Vector3());
    // What is nearer to the camera than the middle looks larger, so there is air around it all.
    const high = Math.max(extent.y / 2, extent.x / 2 / 1.2) * 1.14;
    const near = high / Math.tan((this.closeUp.fov * Math.PI) / 360);
    this.restful = { head, at: head.matrixWorld.clone(), target, distance, mouth, near, lips };
    this.closeUp.removeFromParent();
    this.closeUp.up.set(0, 1, 0);
    this.closeUp.position.set(mouth.x - near * 0.12, mouth.y + near * 0.03, mouth.z + near);
    this.closeUp.lookAt(mouth);
    this.closeUp.updateMatrixWorld();
    head.attach(this.closeUp);
  }

  /** The room that the lips take from rest to the farthest that they go. */
  private reachOf(lips: LipPoint[], member: CastMember): Box3 {
    const reach = new Box3();
    const at = new Vector3();
    const hold = () => {
      this.actor?.model.updateMatrixWorld(true);
      for (const point of lips) reach.expandByPoint(placeOf(point, at));
    };
    hold();
    for (const control of FARTHEST) {
      for (const way of [1, -1]) {
        const { outputs } = member.wiring;
        const full = (i: number) => {
          const own = this.actor?.targets[i];
          const output = outputs.find((o) => JSON.stringify(o.target) === JSON.stringify(own));
          const feed = output?.feeds.find((f) => f.control === control);
          if (!output || !feed) return 0;
          return Math.max(output.low, Math.min(output.high, way * feed.gain));
        };
        this.pose(full);
        hold();
      }
    }
    this.pose(() => 0);
    this.actor?.rest();
    this.actor?.face.update();
    this.actor?.model.updateMatrixWorld(true);
    return reach;
  }

  /** The camera as it stands, though no picture may have been drawn since it was moved. */
  private placed(): PerspectiveCamera {
    this.camera.updateMatrixWorld();
    return this.camera;
  }

  /** Lets the camera keep to the head, or stand. */
  lock(locked: boolean) {
    this.keeps.asked = locked;
    this.keep();
  }

  private keep() {
    const { head } = this.restful ?? {};
    if (!head || !(this.keeps.asked || this.keeps.near)) this.kept = null;
    else {
      head.updateWorldMatrix(true, false);
      this.kept = head.matrixWorld.clone();
    }
  }

  /** Moves the cameras as the head moved since the last picture. */
  private keepTo() {
    const { kept, restful } = this;
    if (!kept || !restful) return;
    const { head } = restful;
    head.updateWorldMatrix(true, false);
    if (head.matrixWorld.equals(kept)) return;
    this.follow(head.matrixWorld.clone().multiply(kept.clone().invert()));
    this.kept = head.matrixWorld.clone();
  }

  private follow(moved: Matrix4) {
    for (const camera of [this.camera, this.beside]) {
      camera.position.applyMatrix4(moved);
      camera.up.transformDirection(moved);
    }
    this.controls.target.applyMatrix4(moved);
    this.camera.lookAt(this.controls.target);
    this.beside.lookAt(this.controls.target);
    this.touch();
  }

  /** Looks at the face from a side, or at the mouth from near. */
  lookFrom(way: Way) {
    this.put(TURNS[way], way === 'mouth');
  }

  /** Puts the face into the picture. */
  frame() {
    this.put(FIRST, false);
  }

  /** Puts the cameras before the resting face, then where the head is now if they keep to it. */
  private put(degrees: number, near: boolean) {
    const { restful } = this;
    if (!restful) return;
    const at = near ? restful.mouth : restful.target;
    // As high as the lips' whole reach, by the field of this camera.
    const away = near
      ? (restful.near * Math.tan((this.closeUp.fov * Math.PI) / 360)) /
        Math.tan((this.camera.fov * Math.PI) / 360)
      : restful.distance;
    const place = (camera: PerspectiveCamera, turn: number) => {
      const angle = (turn * Math.PI) / 180;
      camera.up.set(0, 1, 0);
      camera.position.set(at.x - away * Math.sin(angle), at.y + away * 0.03, at.z + away * Math.cos(angle));
      camera.lookAt(at);
    };
    place(this.camera, degrees);
    // Beside the front the side, beside the side the front.
    place(this.beside, Math.abs(degrees) > 60 ? 0 : 88);
    this.controls.target.copy(at);
    this.controls.minDistance = restful.distance * 0.12;
    this.controls.maxDistance = restful.distance * 3;
    this.keeps.near = near;
    this.keep();
    if (this.kept) this.follow(this.kept.clone().multiply(restful.at.clone().invert()));
    this.controls.update();
    this.fitViews();
    this.touch();
  }

  /** Between the joints that turn with the gaze, or where eyes lie in most faces. */
  private eyesOf(face: Box3): Vector3 {
    const gaze = this.member?.wiring.outputs.filter(
      (o) => o.target.kind === 'rotation' && o.feeds.some((f) => f.control === 'gaze_yaw'),
    );
    const places = (gaze ?? []).flatMap((o) => {
      const joint = o.target.kind === 'rotation' ? this.actor?.joint(o.target.node) : undefined;
      return joint ? [joint.getWorldPosition(new Vector3())] : [];
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
    const { main } = this.arrangement;
    return [main.x + (main.width * (at.x + 1)) / 2, main.y + (main.height * (1 - at.y)) / 2];
  }

  /** The direction from the eyes to a place of the picture, as `placeOf` has it. */
  directionAt(x: number, y: number): { yaw: number; pitch: number } | null {
    const { eyes, pane } = this.looksFrom;
    const at = this.rayAt(x, y).intersectPlane(
      new Plane(new Vector3(0, 0, 1), -(eyes.z + pane)),
      new Vector3(),
    );
    if (!at) return null;
    const [dx, dy] = [at.x - eyes.x, at.y - eyes.y];
    const degrees = (rad: number) => Math.round((rad * 1800) / Math.PI) / 10;
    return { yaw: degrees(Math.atan2(dx, pane)), pitch: degrees(Math.atan2(-dy, Math.hypot(dx, pane))) };
  }

  /** Shows the values of the targets, in their order; some shapes may be shown besides, each so far. */
  pose(values: (target: number) => number, peek: readonly [string, number][] = []) {
    if (!this.actor) return;
    const moved = this.actor.pose(values, peek);
    if (moved) this.keepTo();
    if (this.actor.face.update() || moved) {
      this.graphics.model?.skin.moved();
      this.touch();
    }
  }

  /** Whether the character is on the canvas, in this turn of the page's loop. */
  isDrawn(): boolean {
    return this.drawn;
  }

  /** How far the face is from its rest: the largest move of a vertex, and of a joint, for tests. */
  shift(): number {
    return this.actor?.shift() ?? 0;
  }

  /** The target that moves the skin most at a place of the picture, shares of its width and height; -1 for none. */
  pointAt(x: number, y: number): number {
    const { actor } = this;
    if (!actor) return -1;
    const { main, side, closeUp } = this.arrangement;
    const views: [Frame | null, PerspectiveCamera][] = [
      [closeUp, this.closeUp],
      [side, this.beside],
      [main, this.placed()],
    ];
    for (const [frame, camera] of views) {
      const place = inside(frame, x, y);
      if (!place) continue;
      const ray = new Raycaster();
      ray.setFromCamera(new Vector2(2 * place[0] - 1, 1 - 2 * place[1]), camera);
      const [hit] = ray.intersectObject(actor.model, true);
      const name = hit?.face ? actor.face.strongest(hit.object, hit.face.a) : null;
      return actor.targets.findIndex((t) => t.kind === 'morph' && t.name === name);
    }
    return -1;
  }

  /** Where a ray through a place of the face's view meets the character as it stands; `mirrored` sends the ray in from the other
   * side of a plane across, to find the same place there. */
  surfaceAt(x: number, y: number, mirrored: number | null = null): Vector3 | null {
    if (!inside(this.arrangement.main, x, y)) return null;
    const ray = this.rayAt(x, y);
    if (mirrored !== null) {
      ray.origin.x = 2 * mirrored - ray.origin.x;
      ray.direction.x *= -1;
    }
    return this.graphics.model?.skin.pick(ray)?.at ?? null;
  }

  /** Where a point of the character's space is seen in the face's view, shares of the picture, and how far from the camera; none
   * behind it. */
  seenAt(point: readonly [number, number, number]): { x: number; y: number; far: number } | null {
    const at = new Vector3(...point);
    const far = at.distanceTo(this.camera.position);
    at.project(this.placed());
    if (at.z > 1) return null;
    const { main } = this.arrangement;
    return {
      x: main.x + (main.width * (at.x + 1)) / 2,
      y: main.y + (main.height * (1 - at.y)) / 2,
      far,
    };
  }

  /** The ray through a place of the face's view, shares of the picture. */
  private rayAt(x: number, y: number): Ray {
    const { main } = this.arrangement;
    const [u, v] = [(x - main.x) / main.width, (y - main.y) / main.height];
    const ray = new Raycaster();
    ray.setFromCamera(new Vector2(2 * u - 1, 1 - 2 * v), this.placed());
    return ray.ray;
  }

  /** The nearest point of the skin at a place of the picture, shares of its width and height. */
  pickAt(x: number, y: number): Picked | null {
    if (!inside(this.arrangement.main, x, y)) return null;
    return this.graphics.model?.skin.pick(this.rayAt(x, y)) ?? null;
  }

  /** Where a point is dragged to by the pointer: as far from the camera as it was. */
  dragged(from: Vector3, x: number, y: number): Vector3 {
    const plane = new Plane().setFromNormalAndCoplanarPoint(
      this.camera.getWorldDirection(new Vector3()),
      from,
    );
    return this.rayAt(x, y).intersectPlane(plane, new Vector3()) ?? from.clone();
  }

  /** How many pixels a length has at a point. */
  pixelsOf(at: Vector3, length: number): number {
    const { main } = this.arrangement;
    const height = main.height * this.renderer.getSize(new Vector2()).y;
    const deep = at.clone().applyMatrix4(this.placed().matrixWorldInverse).z;
    return (length * height) / (2 * Math.abs(deep) * Math.tan((this.camera.fov * Math.PI) / 360));
  }

  /** Shows a shape with moves added to how it was when the brush was put down. */
  reshape(shape: string, moves: NodeMoves[]) {
    this.graphics.model?.skin.reshape(shape, moves);
    this.touch();
  }

  /** Lets the shapes under the brush stay as they are shown, or puts them back to how they were. */
  lift(keep: boolean) {
    this.graphics.model?.skin.lift(keep);
    this.touch();
  }

  /** Says that what is shown is this state of the character: its file need not be loaded. */
  isNow(member: CastMember) {
    if (this.graphics.model) this.graphics.model.key = `${member.id}/${member.model}`;
  }

  /** Looks at a point from near, from the side that it is on: `size` is what the picture is to be high. */
  lookAtPoint(point: readonly [number, number, number], size: number, turn: number) {
    const at = new Vector3(...point);
    const away = (0.5 * size) / Math.tan((this.camera.fov * Math.PI) / 360);
    const angle = (turn * Math.PI) / 180;
    this.camera.up.set(0, 1, 0);
    this.camera.position.set(at.x + away * Math.sin(angle), at.y, at.z + away * Math.cos(angle));
    this.camera.lookAt(at);
    this.controls.target.copy(at);
    this.controls.minDistance = Math.min(this.controls.minDistance, 0.3 * away);
    this.controls.update();
    this.touch();
  }

  /** Shows dots over the character, each with its colour (red, green and blue, 0..1); none to take them away. */
  dot(dots: { at: number[]; colours: number[]; size: number } | null) {
    if (this.dots) {
      this.dots.removeFromParent();
      this.dots.geometry.dispose();
      this.dots.material.dispose();
      this.dots = null;
    }
    if (dots) {
      const geometry = new BufferGeometry();
      geometry.setAttribute('position', new Float32BufferAttribute(dots.at, 3));
      geometry.setAttribute('color', new Float32BufferAttribute(dots.colours, 3));
      const material = new PointsMaterial({ vertexColors: true, size: dots.size, polygonOffset: true });
      this.dots = new Points(geometry, material);
      this.dots.renderOrder = 1;
      this.scene.add(this.dots);
    }
    this.touch();
  }

  /** Where the lips lie now in the face's view and in the close-up: the least and the most of their places across and
   * down, shares of each view; for tests. */
  lips() {
    this.actor?.model.updateMatrixWorld(true);
    const of = (camera: PerspectiveCamera) => {
      camera.updateWorldMatrix(true, false);
      camera.matrixWorldInverse.copy(camera.matrixWorld).invert();
      const at = new Vector3();
      const box = { left: Infinity, right: -Infinity, top: Infinity, bottom: -Infinity };
      for (const point of this.restful?.lips ?? []) {
        placeOf(point, at).project(camera);
        const [x, y] = [(at.x + 1) / 2, (1 - at.y) / 2];
        box.left = Math.min(box.left, x);
        box.right = Math.max(box.right, x);
        box.top = Math.min(box.top, y);
        box.bottom = Math.max(box.bottom, y);
      }
      return box;
    };
    return { main: of(this.camera), closeUp: of(this.closeUp) };
  }

  resize(width: number, height: number) {
    this.renderer.setSize(width, height, false);
    this.arrangement = arrange(this.wish, width, height);
    this.fitViews();
    this.touch();
  }

  /** Gives every camera the shape of its view. */
  private fitViews() {
    const { x: width, y: height } = this.renderer.getSize(new Vector2());
    const { main, side, closeUp, middle } = this.arrangement;
    const shape = (camera: PerspectiveCamera, frame: Frame) => {
      camera.aspect = Math.max(frame.width * width, 1) / Math.max(frame.height * height, 1);
      camera.updateProjectionMatrix();
    };
    const [wide, high] = [main.width * width, main.height * height];
    // The face gives way to the close-up; the mouth, seen from near, stands in the middle.
    if (this.keeps.near || middle === 0.5) this.camera.clearViewOffset();
    else this.camera.setViewOffset(wide, high, (0.5 - middle) * wide, 0, wide, high);
    shape(this.camera, main);
    if (side) shape(this.beside, side);
    if (closeUp) shape(this.closeUp, closeUp);
  }

  /** Draws if something changed since the last time. */
  draw() {
    if (this.pair) this.touch();
    this.pair = null;
    this.drawn = this.dirty && this.actor !== null;
    if (!this.drawn) return;
    this.dirty = false;
    this.paint(0, 1);
  }

  /** Draws one pose in the left half of the face and another in the right, if something changed. */
  drawBeside(left: (target: number) => number, right: (target: number) => number) {
    const now = [left, right].flatMap((value) => (this.actor?.targets ?? []).map((_, i) => value(i)));
    const same = this.pair?.length === now.length && now.every((v, i) => v === this.pair?.[i]);
    this.drawn = this.actor !== null && (this.dirty || !same);
    if (!this.drawn) return;
    this.pair = now;
    this.pose(right);
    this.paint(0.5, 1);
    this.pose(left);
    this.paint(0, 0.5);
    this.dirty = false;
  }

  /** Draws all views from one share of their widths to another. */
  private paint(from: number, to: number) {
    const { x: width, y: height } = this.renderer.getSize(new Vector2());
    const { main, side, closeUp, middle } = this.arrangement;
    const view = (frame: Frame, camera: PerspectiveCamera, centre: number) => {
      const edge = (share: number) => (share === 0.5 ? centre : share);
      const [x, y] = [frame.x * width, (1 - frame.y - frame.height) * height];
      const [w, h] = [frame.width * width, frame.height * height];
      this.renderer.setScissorTest(true);
      this.renderer.setScissor(x + edge(from) * w, y, (edge(to) - edge(from)) * w, h);
      this.renderer.setViewport(x, y, w, h);
      this.renderer.render(this.scene, camera);
    };
    view(main, this.camera, this.keeps.near ? 0.5 : middle);
    if (side) view(side, this.beside, 0.5);
    if (closeUp) view(closeUp, this.closeUp, 0.5);
  }

  /** Leaves the stage: the model goes back to rest, and the graphics to whoever needs them next. */
  dispose() {
    this.loads++;
    this.dot(null);
    this.controls.dispose();
    this.actor?.rest();
    this.actor?.face.update();
    this.closeUp.removeFromParent();
    this.actor?.model.removeFromParent();
    giveBack(this.graphics);
  }
}
