// The brush that corrects shapes: what it is set to, and a stroke on its way from the pointer to the server.

import { Matrix3, Vector3 } from 'three';
import { create } from 'zustand';
import {
  type FaceRegion,
  type Hold,
  type ShapeChange,
  type ShapeStroke,
  type Sculpt,
  api,
  queries,
} from '../api/client';
import { enqueue, ownGesture } from '../api/queue';
import type { NodeMoves, Picked } from '../stage/skin';
import type { Stage } from '../stage/stage';
import { tell } from '../widgets/tell';

export type BrushKind = 'move' | 'smooth' | 'back';

interface Settings {
  /** The shape that is corrected. */
  shape: string | null;
  brush: BrushKind;
  /** In mouth widths. */
  radius: number;
  strength: number;
  mirrored: boolean;
  seal: boolean;
  only: FaceRegion | null;
  /** How far the shape is on while it is looked at. */
  weight: number;
}

export const useSculpt = create<Settings>(() => ({
  shape: null,
  brush: 'move',
  radius: 0.5,
  strength: 0.5,
  mirrored: true,
  seal: true,
  only: null,
  weight: 1,
}));

export const setSculpt = useSculpt.setState;

/** The shape under the brush and, where both sides move together, its twin; each with how far it is on. */
export function shownShapes(sculpt: Sculpt | undefined): [string, number][] {
  const { shape, mirrored, weight } = useSculpt.getState();
  const own = sculpt?.shapes.find((s) => s.name === shape);
  if (!own) return [];
  const twin = mirrored && own.twin ? [own.twin] : [];
  return [own.name, ...twin].map((name) => [name, weight]);
}

/** One stroke, from where the brush was put down. */
export class Stroking {
  private readonly at: { piece: number; point: number }[] = [];
  private held: Hold | null = null;
  private moved = new Vector3();
  private asking = false;
  private more = false;
  private lifted = false;
  private readonly settings = useSculpt.getState();

  constructor(
    private readonly member: number,
    private readonly sculpt: Sculpt,
    private readonly stage: Stage,
    private readonly from: Picked,
  ) {
    this.over(from);
    if (this.settings.brush === 'move') void this.hold();
  }

  /** How far the shape itself is moved: what is dragged while it is half on moves it twice as far. */
  private by(): Vector3 {
    return this.moved.clone().divideScalar(Math.max(this.settings.weight, 0.1));
  }

  private stroke(): ShapeStroke {
    const { shape, brush, radius, strength, mirrored, seal, only } = this.settings;
    const by = this.by().toArray();
    return {
      shape: shape ?? '',
      brush: brush === 'move' ? { kind: 'move', by } : { kind: brush },
      at: this.at,
      radius,
      strength,
      mirrored,
      seal,
      only,
    };
  }

  private over({ node, point }: Picked) {
    this.at.push({ piece: this.sculpt.nodes.indexOf(node), point });
  }

  private async hold() {
    try {
      this.held = await api.hold(this.member, this.stroke());
      if (!this.lifted) this.show();
    } catch (error) {
      this.lifted = true;
      tell(error);
    }
  }

  /** The brush was moved over a place of the picture, shares of it. */
  move(x: number, y: number) {
    if (this.lifted) return;
    if (this.settings.brush === 'move') {
      this.moved = this.stage.dragged(this.from.at, x, y).sub(this.from.at);
      this.show();
      return;
    }
    const picked = this.stage.pickAt(x, y);
    const last = this.at[this.at.length - 1];
    if (!picked || this.at.length >= 500 || picked.point === last?.point) return;
    this.over(picked);
    void this.attempt();
  }

  /** Shows what is held, moved as far as the brush is. */
  private show() {
    if (!this.held || this.moved.lengthSq() === 0) return;
    const by = this.by();
    const image = by.clone().applyMatrix3(new Matrix3().fromArray(this.held.mirror));
    for (const { shape, pieces } of this.held.shapes) {
      const moves = pieces.map(({ piece, points, own, other }): NodeMoves => {
        const out = new Float32Array(3 * points.length);
        for (let i = 0; i < points.length; i++) {
          const [a, b] = [own[i] ?? 0, other[i] ?? 0];
          out[3 * i] = a * by.x + b * image.x;
          out[3 * i + 1] = a * by.y + b * image.y;
          out[3 * i + 2] = a * by.z + b * image.z;
        }
        return { node: this.sculpt.nodes[piece] ?? -1, points, by: out };
      });
      this.stage.reshape(shape, moves);
    }
  }

  /** Asks what the stroke does so far; one question is under way at a time. */
  private async attempt() {
    if (this.asking) {
      this.more = true;
      return;
    }
    this.asking = true;
    try {
      do {
        this.more = false;
        const changes = await api.tryStroke(this.member, this.stroke());
        if (!this.lifted) this.showChanges(changes);
      } while (this.more && !this.lifted);
    } catch (error) {
      tell(error);
    } finally {
      this.asking = false;
    }
  }

  private showChanges(changes: ShapeChange[]) {
    for (const { shape, pieces } of changes) {
      const moves = pieces.map(({ piece, points, by }): NodeMoves => ({
        node: this.sculpt.nodes[piece] ?? -1,
        points,
        by: Float32Array.from(by.flat()),
      }));
      this.stage.reshape(shape, moves);
    }
  }

  /** The brush is lifted: the stroke is made, or nothing if it never moved anything. */
  async end() {
    if (this.lifted) return this.stage.lift(false);
    this.lifted = true;
    if (this.settings.brush === 'move' && this.moved.lengthSq() === 0) return this.stage.lift(false);
    const { member, stage } = this;
    const gesture = ownGesture();
    const made = await enqueue(`cast ${member}`, {
      send: async (seen) => {
        const { changes, detail } = await api.stroke(member, this.stroke(), gesture, seen);
        return {
          revision: detail.member.revision,
          show: () => {
            this.showChanges(changes);
            stage.lift(true);
            stage.isNow(detail.member);
            queries.setQueryData(['castMember', member], detail);
          },
        };
      },
      refresh: () => void queries.invalidateQueries({ queryKey: ['castMember', member] }),
    });
    if (!made) stage.lift(false);
  }

  /** Nothing is made of it. */
  cancel() {
    this.lifted = true;
    this.stage.lift(false);
  }
}
