// What of a character is its face and where its mouth is, for the camera.

import { Box3, type BufferGeometry, type Mesh, type Object3D, Vector3 } from 'three';
import type { CastMember } from '../api/client';
import type { Shape } from './morph';

interface Framing {
  face: Box3;
  /** Whether the face is all of a head's parts, not one skin. */
  whole: boolean;
  mouth: Vector3;
  /** Half the height of what the close-up shows. */
  mouthHeight: number;
}

/** Controls whose outputs are at the mouth. */
const AT_MOUTH = ['lips_close', 'lips_round', 'lips_spread_left', 'lip_lower_drop_left', 'tongue_out'];

function meshes(root: Object3D): Mesh<BufferGeometry>[] {
  const out: Mesh<BufferGeometry>[] = [];
  root.traverse((o) => {
    if ((o as Mesh).isMesh) out.push(o as Mesh<BufferGeometry>);
  });
  return out;
}

/** Where a mesh's named shapes move it most. */
function movedBox(mesh: Mesh<BufferGeometry>, names: Set<string>): Box3 {
  const box = new Box3();
  const rest = mesh.geometry.getAttribute('position');
  const point = new Vector3();
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
    shape.vertices.forEach((v, k) => {
      if (far(k) > 0.4 * most) box.expandByPoint(mesh.localToWorld(point.fromBufferAttribute(rest, v)));
    });
  }
  return box;
}

export function frameOf(
  root: Object3D,
  member: CastMember,
  joint: (name: string) => Object3D | undefined,
): Framing {
  const all = meshes(root);
  const shapes = (m: Mesh) => Object.keys(m.morphTargetDictionary ?? {}).length;
  const skin = [...all].sort((a, b) => shapes(b) - shapes(a))[0];
  const turned = member.wiring.outputs.find(
    (o) => o.target.kind === 'rotation' && o.feeds.some((f) => f.control === 'head_yaw'),
  );
  const head = turned && turned.target.kind === 'rotation' ? joint(turned.target.node) : undefined;
  const face = new Box3();
  const whole = !skin || shapes(skin) === 0;
  if (!whole) face.setFromObject(skin);
  else if (head) face.setFromObject(head);
  if (face.isEmpty()) face.setFromObject(root);
  const size = face.getSize(new Vector3());

  const mouth = new Box3();
  const inside = all.find((m) => m.name === 'teeth_upper') ?? all.find((m) => m.name === 'tongue');
  if (inside && shapes(inside) > 0) {
    // Teeth say it best: their middle is the mouth's, wherever the lips go.
    const centre = new Box3().setFromObject(inside).getCenter(new Vector3());
    centre.y -= size.y * 0.012;
    return { face, whole, mouth: centre, mouthHeight: size.y * 0.115 };
  }
  for (const drawing of member.wiring.chart?.drawings ?? []) {
    const node = joint(drawing.image ? `${drawing.node} · ${drawing.image}` : drawing.node);
    if (node) mouth.expandByObject(node);
  }
  if (mouth.isEmpty()) {
    const names = new Set<string>();
    for (const output of member.wiring.outputs) {
      if (!output.feeds.some((f) => AT_MOUTH.includes(f.control) && !f.stands_in)) continue;
      if (output.target.kind === 'morph') names.add(output.target.name);
      // A tongue's joint lies where it hangs, not where it is seen.
      else if (!output.feeds.some((f) => f.control === 'tongue_out'))
        mouth.expandByPoint(joint(output.target.node)?.getWorldPosition(new Vector3()) ?? new Vector3());
    }
    for (const mesh of all) if (shapes(mesh) > 0) mouth.union(movedBox(mesh, names));
  }
  if (mouth.isEmpty()) {
    const centre = face.getCenter(new Vector3());
    centre.y = face.min.y + size.y * 0.3;
    return { face, whole, mouth: centre, mouthHeight: size.y * 0.15 };
  }
  const spread = mouth.getSize(new Vector3());
  const half = Math.max(spread.y * 0.7, spread.x * 0.45, size.y * 0.1);
  return { face, whole, mouth: mouth.getCenter(new Vector3()), mouthHeight: Math.min(half, size.y * 0.3) };
}
