// Where a character's face and mouth are, for the cameras: at rest, and as far as the lips can go.

import { Box3, type BufferGeometry, type Mesh, type Object3D, type SkinnedMesh, Vector3 } from 'three';
import type { CastMember } from '../api/client';
import type { Shape } from './morph';

/** Something of the mouth that can be followed: a vertex of a mesh, or a corner of a part. */
export type LipPoint = { mesh: Mesh; vertex: number } | { node: Object3D; at: Vector3 };

export interface Face {
  box: Box3;
  /** Whether the face is all of a head's parts, not one skin. */
  whole: boolean;
}

/** Controls whose shapes are at the mouth. */
const AT_MOUTH = [
  'lips_close',
  'lips_round',
  'lips_spread_left',
  'lips_spread_right',
  'lip_lower_drop_left',
  'lip_lower_drop_right',
];

/** Share of a shape's largest move from which on a vertex counts as the lips'. */
const OF_LIPS = 0.4;
/** The same for the face, and how many times as high as that a skin is that is a whole body. */
const OF_FACE = 0.2;
const BODY = 2.2;
/** Most points that are followed. */
const MOST = 240;

export function meshesOf(root: Object3D): Mesh<BufferGeometry>[] {
  const out: Mesh<BufferGeometry>[] = [];
  root.traverse((o) => {
    if ((o as Mesh).isMesh) out.push(o as Mesh<BufferGeometry>);
  });
  return out;
}

const shapesOf = (mesh: Mesh) => Object.keys(mesh.morphTargetDictionary ?? {}).length;

/** The vertices that a mesh's named shapes move most: farther than a share of each shape's largest move. */
function moved(mesh: Mesh, names: Set<string>, share = OF_LIPS): number[] {
  const out = new Set<number>();
  const shapes = (mesh.userData.shapes ?? []) as Shape[];
  for (const [name, index] of Object.entries(mesh.morphTargetDictionary ?? {})) {
    const shape = names.has(name) ? shapes[index] : undefined;
    if (!shape) continue;
    const far = (k: number) =>
      Math.hypot(
        shape.positions[3 * k] ?? 0,
        shape.positions[3 * k + 1] ?? 0,
        shape.positions[3 * k + 2] ?? 0,
      );
    const most = shape.vertices.reduce((max, _, k) => Math.max(max, far(k)), 0);
    shape.vertices.forEach((v, k) => far(k) > share * most && out.add(v));
  }
  return [...out];
}

/** The corners of a part, in its own space. */
function corners(node: Object3D): LipPoint[] {
  const box = new Box3().setFromObject(node);
  if (box.isEmpty()) return [{ node, at: new Vector3() }];
  const { min, max } = box;
  return [min.x, max.x].flatMap((x) =>
    [min.y, max.y].flatMap((y) =>
      [min.z, max.z].map((z) => ({ node, at: node.worldToLocal(new Vector3(x, y, z)) })),
    ),
  );
}

/** The nodes of a character's whole mouths. */
function drawingsOf(member: CastMember, joint: (name: string) => Object3D | undefined): Object3D[] {
  return (member.wiring.chart?.drawings ?? []).flatMap((drawing) => {
    const node = joint(drawing.image ? `${drawing.node} · ${drawing.image}` : drawing.node);
    return node ? [node] : [];
  });
}

/** The points of the lips: of the skin where shapes move it, else of the parts that the mouth is made of. */
export function lipPoints(
  root: Object3D,
  member: CastMember,
  joint: (name: string) => Object3D | undefined,
): LipPoint[] {
  const all = meshesOf(root);
  const drawings = drawingsOf(member, joint).flatMap(corners);
  if (drawings.length > 0) return drawings;
  const names = new Set<string>();
  const joints = new Set<Object3D>();
  for (const output of member.wiring.outputs) {
    const own = output.feeds.some((f) => AT_MOUTH.includes(f.control) && !f.stands_in);
    const jaw = output.feeds.some((f) => f.control === 'jaw_open' && !f.stands_in);
    if (output.target.kind === 'morph') {
      if (own) names.add(output.target.name);
    } else if (own || jaw) {
      const node = joint(output.target.node);
      if (node) joints.add(node);
    }
  }
  // Of several skins the largest: teeth and beards move with lips, too.
  const skin = [...all].sort((a, b) => shapesOf(b) - shapesOf(a))[0];
  const vertices = skin && shapesOf(skin) > 0 ? moved(skin, names) : [];
  if (skin && vertices.length > 0) return thinned(vertices.map((vertex) => ({ mesh: skin, vertex })));
  const bound = all.flatMap((mesh) => boundTo(mesh as unknown as SkinnedMesh, joints));
  return bound.length > 0 ? thinned(bound) : [...joints].flatMap(corners);
}

const thinned = (points: LipPoint[]) => {
  const step = Math.ceil(points.length / MOST);
  return points.filter((_, i) => i % step === 0);
};

/** The vertices of a skinned mesh that follow some joints more than others. */
function boundTo(mesh: SkinnedMesh, joints: Set<Object3D>): LipPoint[] {
  const { skinIndex: index, skinWeight: weight } = mesh.geometry.attributes;
  if (!mesh.isSkinnedMesh || !index || !weight) return [];
  const own = mesh.skeleton.bones.map((bone) => joints.has(bone));
  const out: LipPoint[] = [];
  for (let vertex = 0; vertex < index.count; vertex++) {
    let share = 0;
    for (let k = 0; k < 4; k++)
      if (own[index.getComponent(vertex, k)]) share += weight.getComponent(vertex, k);
    if (share > 0.5) out.push({ mesh, vertex });
  }
  return out;
}

/** Where a point of the lips is now. */
export function placeOf(point: LipPoint, to: Vector3): Vector3 {
  if ('node' in point) return point.node.localToWorld(to.copy(point.at));
  return point.mesh.localToWorld(point.mesh.getVertexPosition(point.vertex, to));
}

/** The joint that turns the head: of several, as necks share its turns, the one that turns most. */
export function headOf(
  member: CastMember,
  joint: (name: string) => Object3D | undefined,
): Object3D | undefined {
  const turns = member.wiring.outputs.flatMap(({ target, feeds }) => {
    const feed = feeds.find((f) => f.control === 'head_yaw');
    return target.kind === 'rotation' && feed ? [{ node: target.node, gain: Math.abs(feed.gain) }] : [];
  });
  const most = turns.sort((a, b) => b.gain - a.gain)[0];
  return most && joint(most.node);
}

/** The face at rest: the skin with most shapes, which no whole mouth is, else what turns with the head. */
export function faceOf(
  root: Object3D,
  member: CastMember,
  joint: (name: string) => Object3D | undefined,
): Face {
  const mouths = new Set(drawingsOf(member, joint).flatMap(meshesOf));
  const skins = meshesOf(root).filter((mesh) => !mouths.has(mesh));
  const skin = skins.sort((a, b) => shapesOf(b) - shapesOf(a))[0];
  const head = headOf(member, joint);
  const box = new Box3();
  const whole = !skin || shapesOf(skin) === 0;
  // By its points: the library's own box of a mesh with shapes has room for all of these, of a skinned one for none.
  if (!whole) {
    const at = new Vector3();
    for (let vertex = 0; vertex < (skin.geometry.attributes.position?.count ?? 0); vertex++)
      box.expandByPoint(placeOf({ mesh: skin, vertex }, at));
    // A skin that is a whole body: the part of it that shapes move, with the forehead over it.
    const face = new Box3();
    for (const vertex of moved(skin, new Set(Object.keys(skin.morphTargetDictionary ?? {})), OF_FACE))
      face.expandByPoint(placeOf({ mesh: skin, vertex }, at));
    const [high, own] = [box.max.y - box.min.y, face.max.y - face.min.y];
    if (!face.isEmpty() && high > BODY * own) {
      face.max.y = Math.min(box.max.y, face.max.y + 0.4 * own);
      face.min.y -= 0.15 * own;
      box.copy(face);
    }
  } else if (head) box.setFromObject(head);
  if (box.isEmpty()) box.setFromObject(root);
  return { box, whole };
}
