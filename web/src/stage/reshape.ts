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
  private readonly corners = new Float32Array(9);

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

  /** The normal of a point when all points are moved by `moves`; at rest without. */
  normal(point: number, moves?: Float32Array): [number, number, number] {
    const g = of(this.group, point);
    const { base, index, corners } = this;
    let x = 0;
    let y = 0;
    let z = 0;
    for (let k = of(this.start, g); k < of(this.start, g + 1); k++) {
      const t = 3 * of(this.round, k);
      // Plain loops over typed arrays: this runs for thousands of points with every move of the brush.
      for (let c = 0; c < 3; c++) {
        const v = 3 * of(index, t + c);
        for (let d = 0; d < 3; d++) corners[3 * c + d] = of(base, v + d) + (moves ? of(moves, v + d) : 0);
      }
      const ux = of(corners, 3) - of(corners, 0);
      const uy = of(corners, 4) - of(corners, 1);
      const uz = of(corners, 5) - of(corners, 2);
      const vx = of(corners, 6) - of(corners, 0);
      const vy = of(corners, 7) - of(corners, 1);
      const vz = of(corners, 8) - of(corners, 2);
      x += uy * vz - uz * vy;
      y += uz * vx - ux * vz;
      z += ux * vy - uy * vx;
    }
    const length = Math.hypot(x, y, z) || 1;
    return [x / length, y / length, z / length];
  }
}

/** What is worked out once for the points that a brush holds. */
interface Grip {
  points: ArrayLike<number>;
  /** The points whose light changes, and their normals at rest, three numbers each. */
  ring: Uint32Array;
  rest: Float32Array;
  /** Where in the shape's lists the held points are, and those of the ring. */
  held: Uint32Array;
  lit: Uint32Array;
  shape: Shape;
}

/** One shape of a mesh under the brush. */
export class Reshaping {
  private readonly was: Shape;
  private readonly moves: Float32Array;
  private readonly turns: Float32Array;
  private grip: Grip | null = null;

  constructor(
    private readonly mesh: MorphedMesh,
    private readonly shape: number,
  ) {
    this.was = mesh.shape(shape);
    this.moves = mesh.whole(this.was.vertices, this.was.positions);
    this.turns = mesh.whole(this.was.vertices, this.was.normals);
  }

  private hold(points: ArrayLike<number>): Grip {
    const { grip, was } = this;
    if (
      grip &&
      points.length === grip.points.length &&
      Array.from(points).every((p, i) => p === grip.points[i])
    )
      return grip;
    const ring = this.mesh.light.ring(points);
    const vertices = Uint32Array.from(new Set([...was.vertices, ...Array.from(points), ...ring])).sort();
    const place = new Map<number, number>();
    vertices.forEach((v, k) => place.set(v, k));
    const at = (v: number) => place.get(v) ?? 0;
    const [positions, normals] = [this.moves, this.turns].map((all) => {
      const out = new Float32Array(3 * vertices.length);
      vertices.forEach((v, k) => out.set(all.subarray(3 * v, 3 * v + 3), 3 * k));
      return out;
    }) as [Float32Array, Float32Array];
    this.grip = {
      points,
      ring,
      rest: Float32Array.from(Array.from(ring).flatMap((v) => this.mesh.light.normal(v))),
      held: Uint32Array.from(points, at),
      lit: ring.map(at),
      shape: { vertices, positions, normals },
    };
    return this.grip;
  }

  /** Shows the shape with moves added to some points, three numbers each, in the mesh's own space. */
  show(points: ArrayLike<number>, by: Float32Array) {
    const { moves } = this;
    const { ring, rest, held, lit, shape } = this.hold(points);
    const before = new Float32Array(3 * points.length);
    for (let i = 0; i < points.length; i++) {
      const [v, k] = [3 * of(points, i), 3 * of(held, i)];
      for (let d = 0; d < 3; d++) {
        const own = of(moves, v + d);
        before[3 * i + d] = own;
        moves[v + d] = own + of(by, 3 * i + d);
        shape.positions[k + d] = of(moves, v + d);
      }
    }
    for (let i = 0; i < ring.length; i++) {
      const normal = this.mesh.light.normal(of(ring, i), moves);
      for (let d = 0; d < 3; d++) shape.normals[3 * of(lit, i) + d] = of(normal, d) - of(rest, 3 * i + d);
    }
    // What comes next is added to how it was again.
    for (let i = 0; i < points.length; i++) moves.set(before.subarray(3 * i, 3 * i + 3), 3 * of(points, i));
    this.mesh.put(this.shape, shape);
  }

  /** Shows it as it was. */
  back() {
    this.mesh.put(this.shape, this.was);
  }
}
