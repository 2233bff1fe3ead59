// A character's skin by the numbers that its points have in its file: picked by a ray, and moved by a brush.

import {
  BufferAttribute,
  BufferGeometry,
  Matrix3,
  type Mesh,
  type Object3D,
  type Ray,
  type SkinnedMesh,
  Vector3,
} from 'three';
import { MeshBVH } from 'three-mesh-bvh';
import type { MorphedFace, MorphedMesh } from './morph';
import { Reshaping } from './reshape';

/** Where the loader says that an object is from. */
export type From = Map<object, { nodes?: number; primitives?: number }>;

/** A piece of a node's mesh: its points begin at `start` of the node's. */
interface Part {
  node: number;
  start: number;
  mesh: Mesh;
}

/** A point of the skin under a ray. */
export interface Picked {
  node: number;
  point: number;
  at: Vector3;
}

/** Moves of a node's points, three numbers each, in the character's space. */
export interface NodeMoves {
  node: number;
  points: number[];
  by: Float32Array;
}

export class Skin {
  private readonly parts: Part[] = [];
  private bvh: MeshBVH | null = null;
  private stale = true;
  private readonly shown = new BufferGeometry();
  /** Of each triangle of `shown` its part, by the first triangle of each. */
  private readonly begins: number[] = [];
  private readonly under = new Map<MorphedMesh, Map<number, Reshaping>>();

  constructor(
    root: Object3D,
    from: From,
    private readonly face: MorphedFace,
  ) {
    root.traverse((object) => {
      const mesh = object as Mesh;
      if (!mesh.isMesh) return;
      const own = from.get(mesh);
      const node = own?.nodes ?? (mesh.parent ? from.get(mesh.parent)?.nodes : undefined);
      if (node !== undefined) this.parts.push({ node, start: own?.primitives ?? 0, mesh });
    });
    // So far `start` counted pieces; points are counted from here on.
    this.parts.sort((a, b) => a.node - b.node || a.start - b.start);
    let [last, start] = [-1, 0];
    for (const part of this.parts) {
      if (part.node !== last) [last, start] = [part.node, 0];
      part.start = start;
      start += part.mesh.geometry.getAttribute('position').count;
    }
  }

  /** Says that the points are elsewhere now. */
  moved() {
    this.stale = true;
  }

  /** The nearest point of the skin under a ray. */
  pick(ray: Ray): Picked | null {
    const bvh = this.tree();
    const hit = bvh.raycastFirst(ray);
    if (!hit?.face || hit.faceIndex === undefined || hit.faceIndex === null) return null;
    const position = this.shown.getAttribute('position');
    const { a, b, c } = hit.face;
    const near = [a, b, c].map((v) => ({
      v,
      far: new Vector3().fromBufferAttribute(position, v).distanceTo(hit.point),
    }));
    near.sort((one, two) => one.far - two.far);
    const v = near[0]?.v ?? a;
    const part = this.begins.findLastIndex((begin) => begin <= v);
    const own = this.parts[part];
    if (!own) return null;
    return { node: own.node, point: own.start + v - (this.begins[part] ?? 0), at: hit.point.clone() };
  }

  /** All points as they stand, in a tree for rays. */
  private tree(): MeshBVH {
    if (this.bvh && !this.stale) return this.bvh;
    this.stale = false;
    const counts = this.parts.map((p) => p.mesh.geometry.getAttribute('position').count);
    const all = counts.reduce((a, b) => a + b, 0);
    const first = !this.bvh;
    if (first) {
      const index: number[] = [];
      let begin = 0;
      this.parts.forEach(({ mesh }, k) => {
        this.begins.push(begin);
        const own = mesh.geometry.getIndex();
        const count = own ? own.count : (counts[k] ?? 0);
        for (let i = 0; i < count; i++) index.push(begin + (own ? own.getX(i) : i));
        begin += counts[k] ?? 0;
      });
      this.shown.setAttribute('position', new BufferAttribute(new Float32Array(3 * all), 3));
      this.shown.setIndex(index);
    }
    const position = this.shown.getAttribute('position') as BufferAttribute;
    const at = new Vector3();
    this.parts.forEach(({ mesh }, k) => {
      mesh.updateWorldMatrix(true, false);
      const shows = isShown(mesh);
      const own = mesh.geometry.getAttribute('position');
      const skinned = (mesh as SkinnedMesh).isSkinnedMesh ? (mesh as SkinnedMesh) : null;
      skinned?.skeleton.update();
      for (let i = 0; i < own.count; i++) {
        at.fromBufferAttribute(own, i);
        if (skinned) skinned.applyBoneTransform(i, at);
        at.applyMatrix4(mesh.matrixWorld);
        // What is not shown is out of every ray's way.
        if (!shows) at.set(0, -1e6, 0);
        position.setXYZ((this.begins[k] ?? 0) + i, at.x, at.y, at.z);
      }
    });
    if (this.bvh) this.bvh.refit();
    else this.bvh = new MeshBVH(this.shown);
    return this.bvh;
  }

  /** Shows a shape with moves added to how it was when the brush was put down; a shape that a mesh lacks is made. */
  reshape(shape: string, moves: NodeMoves[]) {
    for (const { node, points, by } of moves) {
      for (const part of this.parts.filter((p) => p.node === node)) {
        const count = part.mesh.geometry.getAttribute('position').count;
        const own = points.flatMap((p, k) => (p >= part.start && p < part.start + count ? [k] : []));
        const morphed = own.length > 0 ? this.face.meshOf(part.mesh) : undefined;
        if (!morphed) continue;
        const back = this.toMesh(part.mesh, (points[own[0] ?? 0] ?? 0) - part.start);
        const local = new Float32Array(3 * own.length);
        const move = new Vector3();
        own.forEach((k, i) => {
          move.set(by[3 * k] ?? 0, by[3 * k + 1] ?? 0, by[3 * k + 2] ?? 0).applyMatrix3(back);
          move.toArray(local, 3 * i);
        });
        const at = morphed.place(shape);
        const held = this.under.get(morphed) ?? new Map<number, Reshaping>();
        this.under.set(morphed, held);
        const reshaping = held.get(at) ?? new Reshaping(morphed, at);
        held.set(at, reshaping);
        reshaping.show(
          own.map((k) => (points[k] ?? 0) - part.start),
          local,
        );
      }
    }
    this.stale = true;
  }

  /** Lets the shapes stay as they are shown, or puts them back to how they were. */
  lift(keep: boolean) {
    if (!keep) for (const held of this.under.values()) for (const one of held.values()) one.back();
    this.under.clear();
    this.stale = true;
  }

  /** What takes a move in the character's space to one in a mesh's, at one of its points. */
  private toMesh(mesh: Mesh, point: number): Matrix3 {
    mesh.updateWorldMatrix(true, false);
    const skinned = (mesh as SkinnedMesh).isSkinnedMesh ? (mesh as SkinnedMesh) : null;
    const through = (v: Vector3) => {
      if (skinned) skinned.applyBoneTransform(point, v);
      return v.applyMatrix4(mesh.matrixWorld);
    };
    const from = through(new Vector3());
    const [x, y, z] = [new Vector3(1, 0, 0), new Vector3(0, 1, 0), new Vector3(0, 0, 1)].map((v) =>
      through(v).sub(from),
    ) as [Vector3, Vector3, Vector3];
    return new Matrix3().set(x.x, y.x, z.x, x.y, y.y, z.y, x.z, y.z, z.z).invert();
  }
}

function isShown(object: Object3D): boolean {
  for (let o: Object3D | null = object; o; o = o.parent) if (!o.visible) return false;
  return true;
}
