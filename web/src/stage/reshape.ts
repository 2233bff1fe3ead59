// One shape of a mesh while a brush changes it: its moves and its light, changed only where the brush is.

import type { BufferGeometry } from 'three';
import type { MorphedMesh, Shape } from './morph';

/** A number that is there. */
const of = (list: ArrayLike<number>, i: number) => list[i] as number;

/** Which points of a mesh are lit as one, and which triangles lie round them. */
export class Light {
  private readonly group: Uint32Array;
  private readonly start: Uint32Array;
  private readonly round: Uint32Array;
  private readonly index: Uint32Array;

  constructor(
    geometry: BufferGeometry,
    private readonly base: Float32Array,
    normals: Float32Array,
  ) {
    const count = base.length / 3;
    const given = geometry.getIndex();
    this.index = given ? Uint32Array.from(given.array) : Uint32Array.from({ length: count }, (_, i) => i);
    this.group = new Uint32Array(count);
    const groups = new Map<string, number>();
    for (let i = 0; i < count; i++) {
      const at = [0, 1, 2].map((k) => base[3 * i + k]).join();
      const lit = [0, 1, 2].map((k) => Math.round(64 * (normals[3 * i + k] ?? 0))).join();
      const key = `${at} ${lit}`;
      const own = groups.get(key) ?? groups.size;
      groups.set(key, own);
      this.group[i] = own;
    }
    this.start = new Uint32Array(groups.size + 1);
    const { start, group, index } = this;
    for (const v of index) start[of(group, v) + 1] = of(start, of(group, v) + 1) + 1;
    for (let g = 0; g < groups.size; g++) start[g + 1] = of(start, g + 1) + of(start, g);
    const next = start.slice();
    this.round = new Uint32Array(index.length);
    for (let k = 0; k < index.length; k++) {
      const g = of(group, of(index, k));
      this.round[of(next, g)] = Math.floor(k / 3);
      next[g] = of(next, g) + 1;
    }
  }

  /** The points whose light changes when some points are moved. */
  ring(points: ArrayLike<number>): Uint32Array {
    const near = new Set<number>();
    for (let i = 0; i < points.length; i++) {
      const g = of(this.group, of(points, i));
      for (let k = of(this.start, g); k < of(this.start, g + 1); k++) {
        const t = 3 * of(this.round, k);
        for (let c = t; c < t + 3; c++) near.add(of(this.index, c));
      }
    }
    return Uint32Array.from(near).sort();
  }

  /** How far the normal of a point turns when all points are moved by `moves`, into `out` at `to`. */
  turned(point: number, moves: Float32Array, out: Float32Array, to: number) {
    const g = of(this.group, point);
    const rest = this.normal(g, null);
    const posed = this.normal(g, moves);
    for (let d = 0; d < 3; d++) out[to + d] = of(posed, d) - of(rest, d);
  }

  /** The normal of points that are lit as one, of all triangles round them. */
  private normal(group: number, moves: Float32Array | null): number[] {
    const { base, index } = this;
    const corner = (t: number, c: number, d: number) => {
      const v = 3 * of(index, t + c) + d;
      return of(base, v) + (moves ? of(moves, v) : 0);
    };
    let [x, y, z] = [0, 0, 0];
    for (let k = of(this.start, group); k < of(this.start, group + 1); k++) {
      const t = 3 * of(this.round, k);
      const from = (c: number, d: number) => corner(t, c, d) - corner(t, 0, d);
      const [ux, uy, uz] = [from(1, 0), from(1, 1), from(1, 2)];
      const [vx, vy, vz] = [from(2, 0), from(2, 1), from(2, 2)];
      x += uy * vz - uz * vy;
      y += uz * vx - ux * vz;
      z += ux * vy - uy * vx;
    }
    const length = Math.hypot(x, y, z) || 1;
    return [x / length, y / length, z / length];
  }
}

/** One shape of a mesh under the brush. */
export class Reshaping {
  private readonly was: Shape;
  private readonly moves: Float32Array;
  private readonly turns: Float32Array;

  constructor(
    private readonly mesh: MorphedMesh,
    private readonly shape: number,
  ) {
    this.was = mesh.shape(shape);
    this.moves = mesh.whole(this.was.vertices, this.was.positions);
    this.turns = mesh.whole(this.was.vertices, this.was.normals);
  }

  /** Shows the shape with moves added to some points, three numbers each, in the mesh's own space. */
  show(points: ArrayLike<number>, by: Float32Array) {
    const { light } = this.mesh;
    const moves = this.moves.slice();
    for (let i = 0; i < points.length; i++) {
      const v = 3 * of(points, i);
      for (let d = 0; d < 3; d++) moves[v + d] = of(moves, v + d) + of(by, 3 * i + d);
    }
    const ring = light.ring(points);
    const vertices = Uint32Array.from(new Set([...this.was.vertices, ...ring])).sort();
    const turned = new Map<number, number>();
    ring.forEach((v, k) => turned.set(v, 3 * k));
    const normals = new Float32Array(3 * ring.length);
    ring.forEach((v, k) => light.turned(v, moves, normals, 3 * k));
    const positions = new Float32Array(3 * vertices.length);
    const lit = new Float32Array(3 * vertices.length);
    vertices.forEach((v, k) => {
      const at = turned.get(v);
      for (let d = 0; d < 3; d++) {
        positions[3 * k + d] = moves[3 * v + d] ?? 0;
        lit[3 * k + d] = (at === undefined ? this.turns[3 * v + d] : normals[at + d]) ?? 0;
      }
    });
    this.mesh.put(this.shape, { vertices, positions, normals: lit });
  }

  /** Shows it as it was. */
  back() {
    this.mesh.put(this.shape, this.was);
  }
}
