// Morph targets on the processor: only vertices that a shape moves are touched, and only when a weight
// changed. Faster than the renderer's own way when there are many small shapes.

import { BufferAttribute, BufferGeometry, type Mesh, type Object3D } from 'three';
import { Light } from './reshape';

/** Only the vertices that a shape moves. */
export interface Shape {
  vertices: Uint32Array;
  positions: Float32Array;
  normals: Float32Array;
}

/** One mesh whose shapes are mixed here. */
export class MorphedMesh {
  readonly names: string[];
  readonly mesh: Mesh;
  private readonly shapes: Shape[];
  private weights: Float32Array;
  private readonly basePositions: Float32Array;
  private readonly baseNormals: Float32Array;
  private readonly position: BufferAttribute;
  private readonly normal: BufferAttribute;
  private touched: Uint32Array;
  private lit: Light | null = null;
  private stale = false;

  constructor(mesh: Mesh<BufferGeometry>, names: string[]) {
    const geometry = mesh.geometry;
    const read = (attribute: {
      count: number;
      getX(i: number): number;
      getY(i: number): number;
      getZ(i: number): number;
    }) => {
      const out = new Float32Array(attribute.count * 3);
      for (let i = 0; i < attribute.count; i++) {
        out[3 * i] = attribute.getX(i);
        out[3 * i + 1] = attribute.getY(i);
        out[3 * i + 2] = attribute.getZ(i);
      }
      return out;
    };
    this.names = names;
    this.mesh = mesh;
    this.basePositions = read(geometry.getAttribute('position'));
    this.baseNormals = read(geometry.getAttribute('normal'));
    this.position = new BufferAttribute(this.basePositions.slice(), 3);
    this.normal = new BufferAttribute(this.baseNormals.slice(), 3);
    const positions = geometry.morphAttributes.position ?? [];
    const normals = geometry.morphAttributes.normal ?? [];
    const any = new Set<number>();
    this.shapes = positions.map((attribute, k) => {
      const all = read(attribute);
      const turns = normals[k] ? read(normals[k]) : new Float32Array(all.length);
      const vertices: number[] = [];
      for (let i = 0; i < attribute.count; i++) {
        if (
          all[3 * i] ||
          all[3 * i + 1] ||
          all[3 * i + 2] ||
          turns[3 * i] ||
          turns[3 * i + 1] ||
          turns[3 * i + 2]
        ) {
          vertices.push(i);
          any.add(i);
        }
      }
      const pick = (from: Float32Array) =>
        Float32Array.from(vertices.flatMap((i) => [...from.subarray(3 * i, 3 * i + 3)]));
      return { vertices: Uint32Array.from(vertices), positions: pick(all), normals: pick(turns) };
    });
    mesh.userData.shapes = this.shapes;
    this.weights = new Float32Array(this.shapes.length);
    this.touched = Uint32Array.from(any);
    geometry.setAttribute('position', this.position);
    geometry.setAttribute('normal', this.normal);
    geometry.morphAttributes = {};
    mesh.morphTargetInfluences = [];
    // The rest shape's sphere, widened: a moving jaw must not be culled.
    geometry.computeBoundingSphere();
    if (geometry.boundingSphere) geometry.boundingSphere.radius *= 1.5;
  }

  /** How its points are lit, worked out when it is first asked for. */
  get light(): Light {
    this.lit ??= new Light(this.mesh.geometry, this.basePositions, this.baseNormals);
    return this.lit;
  }

  /** The number of a shape; one that is not there yet is made, without moves. */
  place(name: string): number {
    const at = this.names.indexOf(name);
    if (at >= 0) return at;
    this.names.push(name);
    this.shapes.push({
      vertices: new Uint32Array(),
      positions: new Float32Array(),
      normals: new Float32Array(),
    });
    this.weights = Float32Array.from([...this.weights, 0]);
    return this.names.length - 1;
  }

  shape(at: number): Shape {
    return this.shapes[at] as Shape;
  }

  /** Values of some vertices, three numbers each, as those of all. */
  whole(vertices: Uint32Array, values: Float32Array): Float32Array {
    const out = new Float32Array(this.basePositions.length);
    vertices.forEach((v, i) => out.set(values.subarray(3 * i, 3 * i + 3), 3 * v));
    return out;
  }

  /** Lets a shape move its vertices otherwise. */
  put(at: number, shape: Shape) {
    const known = this.shapes[at]?.vertices === shape.vertices;
    this.shapes[at] = shape;
    this.stale = true;
    if (known) return;
    this.touched = Uint32Array.from(new Set([...this.touched, ...shape.vertices]));
  }

  set(shape: number, weight: number) {
    if (this.weights[shape] !== weight) {
      this.weights[shape] = weight;
      this.stale = true;
    }
  }

  rest() {
    if (this.weights.every((w) => w === 0)) return;
    this.weights.fill(0);
    this.stale = true;
  }

  /** The largest move of a vertex. */
  shift(): number {
    let most = 0;
    const now = this.position.array;
    for (const v of this.touched) {
      const d = (k: number) => (now[3 * v + k] ?? 0) - (this.basePositions[3 * v + k] ?? 0);
      most = Math.max(most, Math.hypot(d(0), d(1), d(2)));
    }
    return most;
  }

  /** The shape that moves a vertex most, those that are shown now before others. */
  strongest(vertex: number): string | null {
    let best: string | null = null;
    let most = 1e-6;
    this.shapes.forEach((shape, s) => {
      const i = shape.vertices.indexOf(vertex);
      if (i < 0) return;
      const d = (k: number) => shape.positions[3 * i + k] ?? 0;
      const moves = Math.hypot(d(0), d(1), d(2)) * (0.05 + Math.abs(this.weights[s] ?? 0));
      if (moves > most) {
        most = moves;
        best = this.names[s] ?? null;
      }
    });
    return best;
  }

  /** Mixes the shapes if a weight changed, and says whether one did. */
  update(): boolean {
    if (!this.stale) return false;
    this.stale = false;
    // Plain loops over typed arrays: this runs for every picture of a playing line.
    const position = this.position.array;
    const normal = this.normal.array;
    const { basePositions, baseNormals, touched } = this;
    for (let i = 0; i < touched.length; i++) {
      const v = 3 * (touched[i] as number);
      for (let k = v; k < v + 3; k++) {
        position[k] = basePositions[k] as number;
        normal[k] = baseNormals[k] as number;
      }
    }
    for (let s = 0; s < this.shapes.length; s++) {
      const weight = this.weights[s] as number;
      const shape = this.shapes[s];
      // What cannot be seen is left out.
      if (!shape || Math.abs(weight) < 1e-4) continue;
      const { vertices, positions, normals } = shape;
      for (let i = 0; i < vertices.length; i++) {
        const v = 3 * (vertices[i] as number);
        const j = 3 * i;
        for (let k = 0; k < 3; k++) {
          position[v + k] = (position[v + k] as number) + weight * (positions[j + k] as number);
          normal[v + k] = (normal[v + k] as number) + weight * (normals[j + k] as number);
        }
      }
    }
    this.position.needsUpdate = true;
    this.normal.needsUpdate = true;
    return true;
  }
}

/** A shape by its place on one of the meshes that have it. */
export type ShapeAt = [MorphedMesh, number];

/** Every morphed mesh of a character, driven by the names of its shapes. */
export class MorphedFace {
  private readonly meshes: MorphedMesh[] = [];

  constructor(root: Object3D) {
    root.traverse((object) => {
      const mesh = object as Mesh;
      const names = mesh.isMesh ? Object.keys(mesh.morphTargetDictionary ?? {}) : [];
      if (names.length > 0) this.meshes.push(new MorphedMesh(mesh, names));
    });
  }

  /** Where a shape of a name is, on every mesh that has one; looked up once, not with every picture. */
  shapes(name: string): ShapeAt[] {
    return this.meshes.flatMap((mesh): ShapeAt[] => {
      const shape = mesh.names.indexOf(name);
      return shape < 0 ? [] : [[mesh, shape]];
    });
  }

  /** A mesh of the scene; one without shapes is made ready to get some. */
  meshOf(object: Mesh): MorphedMesh | undefined {
    const known = this.meshes.find((m) => m.mesh === object);
    if (known || !object.geometry.hasAttribute('normal')) return known;
    const made = new MorphedMesh(object, []);
    this.meshes.push(made);
    return made;
  }

  rest() {
    for (const mesh of this.meshes) mesh.rest();
  }

  /** The shape that moves a vertex of one of its meshes most. */
  strongest(object: Object3D, vertex: number): string | null {
    return this.meshes.find((m) => m.mesh === object)?.strongest(vertex) ?? null;
  }

  /** The largest move of a vertex, in the units of its mesh. */
  shift(): number {
    return Math.max(0, ...this.meshes.map((mesh) => mesh.shift()));
  }

  /** Mixes what changed, and says whether anything did. */
  update(): boolean {
    return this.meshes.map((mesh) => mesh.update()).some(Boolean);
  }
}
