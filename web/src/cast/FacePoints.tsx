import { useRef } from 'react';
import type { LandmarkName } from '../api/client';
import type { Stage } from '../stage/stage';
import { sharesIn } from '../stage/shares';
import { usePose } from './pose';
import { KINDS, type Place, across, middleOf, move, placeOf, put, usePut } from './landmarks';
import css from './FacePoints.module.css';

/** Pixels that an arrow key moves a point. */
const WAYS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** Lets the marks follow the points with every picture. */
export function followPoints(element: HTMLElement, stage: Stage) {
  const { points } = usePut.getState();
  if (!points) return;
  const places = KINDS.map((k) => placeOf(points, k.name));
  const ears = [placeOf(points, 'ear_left'), placeOf(points, 'ear_right')];
  const back = stage.seenAt([
    0.5 * ((ears[0]?.[0] ?? 0) + (ears[1]?.[0] ?? 0)),
    0.5 * ((ears[0]?.[1] ?? 0) + (ears[1]?.[1] ?? 0)),
    0.5 * ((ears[0]?.[2] ?? 0) + (ears[1]?.[2] ?? 0)),
  ]);
  element.querySelectorAll<HTMLElement>('[data-landmark]').forEach((mark) => {
    const at = places[KINDS.findIndex((k) => k.name === mark.dataset.landmark)];
    const seen = at ? stage.seenAt(at) : null;
    mark.style.visibility = seen ? 'visible' : 'hidden';
    if (!seen) return;
    mark.style.left = `${100 * seen.x}%`;
    mark.style.top = `${100 * seen.y}%`;
    // What lies behind the head's middle is on its far side.
    mark.dataset.far = back && seen.far > back.far ? 'yes' : '';
  });
}

/** The points on the stage, each to be dragged over the skin. */
export function FacePoints({ stage }: { stage: () => Stage | null }) {
  const points = usePut((s) => s.points);
  // On a face that is posed they would stand in the air.
  const posed = usePose((s) => Object.values(s.controls).some((v) => v !== 0));
  const chosen = usePut((s) => s.chosen);
  const dragged = useRef<{ name: LandmarkName; off: [number, number] } | null>(null);
  if (!points || posed) return null;
  /** Puts a point on the skin under a place of the picture, shares of it. */
  const putAt = (name: LandmarkName, x: number, y: number) => {
    const made = stage();
    const at = made?.surfaceAt(x, y);
    if (!made || !at) return;
    const { mirrored } = usePut.getState();
    const mate = mirrored && across(name) !== name ? made.surfaceAt(x, y, middleOf(points)) : null;
    const place = (p: { x: number; y: number; z: number }): Place => [p.x, p.y, p.z];
    move(name, place(at), mate && place(mate));
  };
  const picture = (of: HTMLElement) => of.closest('[data-testid=stage]')?.getBoundingClientRect();
  const grab = (name: LandmarkName, event: React.PointerEvent<HTMLElement>) => {
    const rect = picture(event.currentTarget);
    const at = placeOf(points, name);
    const seen = at && stage()?.seenAt(at);
    if (!rect || !seen) return;
    // It is dragged from where it was grabbed, not from its middle: marks of lips stand beside their points.
    const [x, y] = sharesIn(event, rect);
    dragged.current = { name, off: [seen.x - x, seen.y - y] };
  };
  const drag = (event: React.PointerEvent<HTMLElement>) => {
    const [held, rect] = [dragged.current, picture(event.currentTarget)];
    if (!held || !rect) return;
    const [x, y] = sharesIn(event, rect);
    putAt(held.name, x + held.off[0], y + held.off[1]);
  };
  const nudge = (name: LandmarkName, event: React.KeyboardEvent<HTMLElement>) => {
    const [way, rect] = [WAYS[event.key], picture(event.currentTarget)];
    const at = placeOf(points, name);
    const seen = at && stage()?.seenAt(at);
    if (!way || !rect || !seen) return;
    event.preventDefault();
    event.stopPropagation();
    const far = event.shiftKey ? 10 : 1;
    putAt(name, seen.x + (far * way[0]) / rect.width, seen.y + (far * way[1]) / rect.height);
  };
  return (
    <div className={css.points}>
      {KINDS.map((k) => (
        <button
          key={k.name}
          type="button"
          className={css.point}
          data-landmark={k.name}
          data-chosen={chosen === k.name || undefined}
          style={{ '--own': `var(--${k.colour})` } as React.CSSProperties}
          aria-label={`${k.title}: drag it over the skin, or use the arrow keys`}
          onFocus={() => put({ chosen: k.name })}
          onKeyDown={(event) => nudge(k.name, event)}
          onPointerDown={(event) => {
            event.preventDefault();
            event.currentTarget.setPointerCapture(event.pointerId);
            grab(k.name, event);
            put({ chosen: k.name });
          }}
          onPointerMove={drag}
          onPointerUp={() => {
            dragged.current = null;
          }}
          onPointerCancel={() => {
            dragged.current = null;
          }}
        />
      ))}
    </div>
  );
}
