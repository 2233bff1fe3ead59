// A character's model as it is wired: its shapes and joints take the values of its targets.

import { type Object3D, Quaternion, Vector3 } from 'three';
import type { CastMember, Target } from '../api/client';
import { MorphedFace, type ShapeAt } from './morph';

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
export function named(root: Object3D, name: string): Object3D | null {
  let found: Object3D | null = null;
  root.traverse((o) => {
    if (!found && (o.userData.name === name || o.name === name)) found = o;
  });
  return found;
}

export class Actor {
  targets: Target[] = [];
  private readonly joints = new Map<string, Joint>();
  /** Of every target that is a shape, where it is. */
  private shapes: ShapeAt[][] = [];
  /** The values of the targets that are shown. */
  private shown: number[] = [];
  private peeked: readonly [string, number][] = [];

  constructor(
    readonly model: Object3D,
    readonly face = new MorphedFace(model),
  ) {}

  /** Takes up what the character's wiring drives. */
  wire(member: CastMember) {
    this.targets = member.targets;
    this.rest();
    this.shapes = member.targets.map((t) => (t.kind === 'morph' ? this.face.shapes(t.name) : []));
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
  }

  joint(name: string): Object3D | undefined {
    return this.joints.get(name)?.node;
  }

  /** Puts everything back to rest; what was shown is forgotten. */
  rest() {
    this.face.rest();
    this.restJoints();
    for (const { node } of this.joints.values()) node.visible = true;
    this.shown = [];
  }

  private restJoints() {
    for (const { node, rotation, position, scale } of this.joints.values()) {
      node.quaternion.copy(rotation);
      node.position.copy(position);
      node.scale.copy(scale);
    }
  }

  /** Takes the values of the targets, in their order; some shapes may be shown besides, each so far. Whether a joint moved. */
  pose(values: (target: number) => number, peek: readonly [string, number][] = []): boolean {
    const { targets, shapes, shown } = this;
    for (const [name] of this.peeked) for (const [mesh, k] of this.face.shapes(name)) mesh.set(k, 0);
    this.peeked = peek;
    let moved = shown.length === 0;
    for (let i = 0; i < targets.length; i++) {
      const value = values(i);
      const own = shapes[i] ?? [];
      if (own.length === 0 && shown[i] !== value) moved = true;
      shown[i] = value;
      for (const [mesh, k] of own) mesh.set(k, value);
    }
    for (const [name, weight] of peek) for (const [mesh, k] of this.face.shapes(name)) mesh.set(k, weight);
    if (moved) this.poseJoints();
    return moved;
  }

  private poseJoints() {
    this.restJoints();
    const turn = new Quaternion();
    const hidden = new Map<Object3D, boolean>();
    this.targets.forEach((target, i) => {
      if (target.kind === 'morph') return;
      const node = this.joint(target.node);
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

  /** How far the face is from its rest: the largest move of a vertex, and of a joint, for tests. */
  shift(): number {
    let far = this.face.shift();
    for (const { node, rotation, position, scale } of this.joints.values()) {
      far = Math.max(far, node.position.distanceTo(position), node.quaternion.angleTo(rotation));
      far = Math.max(far, node.scale.distanceTo(scale));
    }
    return far;
  }
}
