// Several characters on one stage, beside each other, looked at together or one from near.

import {
  Box3,
  Group,
  MathUtils,
  PerspectiveCamera,
  Scene,
  Vector2,
  Vector3,
  type WebGLRenderer,
} from 'three';
import { OrbitControls } from 'three/addons/controls/OrbitControls.js';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import type { CastMember, SceneView } from '../api/client';
import { Actor } from './actor';
import { faceOf } from './framing';
import { type Graphics, free, giveBack } from './graphics';
import { Lights } from './lights';
import { TURNS, type Way } from './stages';

type Place = SceneView['actors'][number]['place'];

/** Who stands on the stage, and where. */
export interface Standing {
  member: CastMember;
  place: Place;
}

/** Air around the faces. */
const AIR = 1.12;

interface Stander {
  key: string;
  group: Group;
  actor: Actor;
  member: CastMember;
}

export class SceneStage {
  private readonly renderer: WebGLRenderer;
  private readonly scene = new Scene();
  private readonly camera = new PerspectiveCamera(24, 1, 0.01, 100);
  private readonly controls: OrbitControls;
  private readonly lights: Lights;
  private standers: Stander[] = [];
  private dirty = true;
  private loads = 0;
  /** Who is looked at from near; nobody is all. */
  private near: number | null = null;
  private turn = 0;
  /** Whether somebody moved the camera by hand since it was put. */
  private moved = false;

  constructor(private readonly graphics: Graphics) {
    this.renderer = graphics.renderer;
    this.lights = new Lights(this.scene, graphics.room);
    this.controls = new OrbitControls(this.camera, graphics.canvas);
    this.controls.rotateSpeed = 0.5;
    this.controls.zoomSpeed = 0.6;
    this.controls.addEventListener('start', () => {
      this.moved = true;
    });
    this.controls.addEventListener('change', () => this.touch());
  }

  touch() {
    this.dirty = true;
  }

  light(fromSide: boolean) {
    this.lights.from(fromSide);
    this.touch();
  }

  /** Puts characters on the stage; models that stand there already stay. False if another call came after. */
  async stand(all: Standing[]): Promise<boolean> {
    const own = ++this.loads;
    const keys = all.map(({ member }) => `${member.id}/${member.model}`);
    const before = new Map(this.standers.map((s) => [s.key, s]));
    const made = await Promise.all(
      all.map(async ({ member }, i): Promise<Stander> => {
        const key = keys[i] ?? '';
        const there = before.get(key);
        if (there) return there;
        const gltf = await new GLTFLoader().loadAsync(`/api/cast/${member.id}/model?v=${member.model}`);
        const group = new Group();
        group.add(gltf.scene);
        return { key, group, actor: new Actor(gltf.scene), member };
      }),
    );
    if (own !== this.loads) {
      for (const one of made) if (!before.has(one.key)) free(one.group);
      return false;
    }
    for (const one of this.standers) {
      if (keys.includes(one.key)) continue;
      this.scene.remove(one.group);
      free(one.group);
    }
    const others = made.length !== this.standers.length || made.some((m) => !before.has(m.key));
    this.standers = made;
    made.forEach((one, i) => {
      const { member, place } = all[i] as Standing;
      this.scene.add(one.group);
      one.member = member;
      one.actor.wire(member);
      one.group.position.set(...(place.at as [number, number, number]));
      one.group.rotation.set(0, MathUtils.degToRad(place.turn), 0);
      one.group.updateMatrixWorld(true);
    });
    if (others || !this.moved) this.put();
    this.touch();
    return true;
  }

  /** Takes the values of a character's targets. */
  pose(index: number, values: (target: number) => number) {
    const actor = this.standers[index]?.actor;
    if (!actor) return;
    const moved = actor.pose(values);
    if (actor.face.update() || moved) this.touch();
  }

  /** Looks at all of them, or at one from near. */
  lookAt(index: number | null) {
    this.near = index;
    this.put();
  }

  lookFrom(way: Way) {
    this.turn = TURNS[way];
    this.put();
  }

  frame() {
    this.turn = 0;
    this.near = null;
    this.put();
  }

  /** The room that the faces take, at rest. */
  private room(): Box3 {
    const all = new Box3();
    this.standers.forEach(({ actor, group, member }, i) => {
      if (this.near !== null && i !== this.near) return;
      group.updateMatrixWorld(true);
      all.union(faceOf(actor.model, member, (name) => actor.joint(name)).box);
    });
    return all;
  }

  /** Puts the camera before the faces, so that all of them are in the picture. */
  private put() {
    const room = this.room();
    if (room.isEmpty()) return;
    const size = room.getSize(new Vector3());
    const at = room.getCenter(new Vector3());
    const angle = MathUtils.degToRad(this.turn);
    // As wide as it is seen from there.
    const wide = Math.abs(Math.cos(angle)) * size.x + Math.abs(Math.sin(angle)) * size.z;
    const half = Math.max(size.y / 2, wide / 2 / Math.max(this.camera.aspect, 0.1)) * AIR;
    const away = half / Math.tan(MathUtils.degToRad(this.camera.fov / 2)) + size.z / 2;
    this.camera.position.set(
      at.x - away * Math.sin(angle),
      at.y + away * 0.03,
      at.z + away * Math.cos(angle),
    );
    this.camera.lookAt(at);
    this.controls.target.copy(at);
    this.controls.minDistance = away * 0.1;
    this.controls.maxDistance = away * 4;
    this.controls.update();
    this.moved = false;
    this.touch();
  }

  resize(width: number, height: number) {
    this.renderer.setSize(width, height, false);
    this.camera.aspect = width / Math.max(height, 1);
    this.camera.updateProjectionMatrix();
    if (!this.moved) this.put();
    this.touch();
  }

  /** How far each character is from its rest, for tests. */
  shifts(): number[] {
    return this.standers.map(({ actor }) => actor.shift());
  }

  /** Draws if something changed since the last time. */
  draw() {
    if (!this.dirty) return;
    this.dirty = false;
    const { x, y } = this.renderer.getSize(new Vector2());
    this.renderer.setScissorTest(false);
    this.renderer.setViewport(0, 0, x, y);
    this.renderer.render(this.scene, this.camera);
  }

  dispose() {
    this.loads++;
    this.controls.dispose();
    for (const { group } of this.standers) free(group);
    giveBack(this.graphics);
  }
}
