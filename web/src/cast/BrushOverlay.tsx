import { useRef } from 'react';
import type { Sculpt } from '../api/client';
import type { Stage } from '../stage/stage';
import { sharesIn } from '../stage/shares';
import { Stroking, useSculpt } from './sculpt';
import css from './BrushOverlay.module.css';

interface Props {
  member: number;
  sculpt: Sculpt;
  stage: () => Stage | null;
}

/** Sends what is not for the brush on to the camera. */
function passOn(event: React.PointerEvent<HTMLElement> | React.WheelEvent<HTMLElement>) {
  const canvas = event.currentTarget.closest('[data-testid=stage]')?.querySelector('canvas');
  if (!canvas) return;
  if ('deltaMode' in event) {
    const { deltaX, deltaY, deltaMode, clientX, clientY, ctrlKey } = event;
    canvas.dispatchEvent(new WheelEvent('wheel', { deltaX, deltaY, deltaMode, clientX, clientY, ctrlKey }));
    return;
  }
  const { pointerId, pointerType, clientX, clientY, isPrimary } = event;
  const at = { pointerId, pointerType, clientX, clientY, isPrimary, button: 0, buttons: 1 };
  canvas.dispatchEvent(new PointerEvent('pointerdown', at));
}

/** Over the stage: a ring where the brush is, strokes on the skin, and everything else for the camera. */
export function BrushOverlay({ member, sculpt, stage }: Props) {
  const ring = useRef<HTMLDivElement>(null);
  const stroking = useRef<Stroking | null>(null);
  const before = useRef<Promise<unknown>>(Promise.resolve());
  const radius = useSculpt((s) => s.radius);
  const place = (event: React.PointerEvent<HTMLElement>) =>
    sharesIn(event, event.currentTarget.getBoundingClientRect());
  const hover = (event: React.PointerEvent<HTMLElement>) => {
    const [made, mark] = [stage(), ring.current];
    if (!made || !mark) return;
    const [x, y] = place(event);
    const picked = stroking.current ? null : made.pickAt(x, y);
    if (picked) {
      const size = 2 * made.pixelsOf(picked.at, radius * sculpt.unit);
      mark.style.width = mark.style.height = `${size}px`;
    }
    mark.style.left = `${100 * x}%`;
    mark.style.top = `${100 * y}%`;
    mark.style.visibility = picked || stroking.current ? 'visible' : 'hidden';
  };
  const lift = () => {
    const own = stroking.current;
    stroking.current = null;
    if (own) before.current = own.end();
  };
  return (
    <div
      className={css.over}
      data-testid="brush"
      onWheel={passOn}
      onContextMenu={(event) => event.preventDefault()}
      onPointerDown={(event) => {
        const made = stage();
        const [x, y] = place(event);
        const picked = event.button === 0 ? made?.pickAt(x, y) : null;
        if (!made || !picked || useSculpt.getState().shape === null) {
          passOn(event);
          return;
        }
        const own = event.currentTarget;
        own.setPointerCapture(event.pointerId);
        // The stroke before is made first.
        void before.current.then(() => {
          if (own.hasPointerCapture(event.pointerId))
            stroking.current = new Stroking(member, sculpt, made, picked);
        });
      }}
      onPointerMove={(event) => {
        stroking.current?.move(...place(event));
        hover(event);
      }}
      onPointerUp={lift}
      onPointerCancel={() => {
        stroking.current?.cancel();
        stroking.current = null;
      }}
      onPointerLeave={() => {
        if (ring.current && !stroking.current) ring.current.style.visibility = 'hidden';
      }}
    >
      <div ref={ring} className={css.ring} />
    </div>
  );
}
