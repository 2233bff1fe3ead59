import { useLayoutEffect, useRef } from 'react';
import type { LineView } from '../api/client';
import { currentCurves } from '../api/live';
import { sharesIn } from '../stage/shares';
import type { Stage } from '../stage/stage';
import { set, useView } from '../state';
import { arrowOf, taken } from './arrows';
import { spanIds } from './chosen';
import { at } from './line';
import css from './StageMarks.module.css';
import { change, changeByKey, lookAt } from './layers';
import * as player from './player';

/** Marks as they stand before the face, to be dragged about, and where the character looks now. */
export function StageMarks({ line, stage }: { line: LineView; stage: React.RefObject<Stage | null> }) {
  const pointing = useView((s) => s.pointing);
  const chosenNow = useView((s) => s.chosen);
  const host = useRef<HTMLDivElement>(null);
  const pins = useRef(new Map<number, HTMLElement>());
  const gaze = useRef<HTMLElement>(null);
  const held = useRef<{ id: number; moved: boolean; yaw: number; pitch: number } | null>(null);
  const { marks } = line.layers.settings;
  const own = line.layers.looks.find((l) => l.id === spanIds(chosenNow, 'eyes').at(-1));
  const chosen = own?.does;
  const looked =
    chosen?.kind === 'between'
      ? [chosen.one, chosen.other]
      : chosen && chosen.kind !== 'think'
        ? [chosen.mark]
        : [];

  // Before the page is painted, so that no mark is ever where it is not.
  useLayoutEffect(() => {
    let running = true;
    const put = (element: HTMLElement | null | undefined, yaw: number, pitch: number) => {
      const place = stage.current?.placeOf(yaw, pitch);
      if (!element) return;
      element.style.display = place ? '' : 'none';
      if (place) element.style.transform = `translate(${place[0] * wide}px, ${place[1] * high}px)`;
    };
    let [wide, high] = [0, 0];
    const tick = () => {
      if (!running) return;
      [wide, high] = [host.current?.clientWidth ?? 0, host.current?.clientHeight ?? 0];
      for (const mark of marks) {
        const own = held.current?.id === mark.id ? held.current : mark;
        put(pins.current.get(mark.id), own.yaw, own.pitch);
      }
      const curves = currentCurves();
      const value = (control: string) => {
        const curve = curves?.controls.get(control);
        return curve ? at(curve, player.now() * (curves?.hz ?? 0)) : 0;
      };
      put(gaze.current, value('head_yaw') + value('gaze_yaw'), value('head_pitch') + value('gaze_pitch'));
      requestAnimationFrame(tick);
    };
    tick();
    return () => {
      running = false;
    };
  }, [marks, stage]);

  const direction = (event: React.PointerEvent | React.MouseEvent) => {
    const rect = host.current?.getBoundingClientRect();
    if (!rect) return null;
    const found = stage.current?.directionAt(...sharesIn(event, rect));
    const within = (v: number, most: number) => Math.max(-most, Math.min(most, v));
    return found ? { yaw: within(found.yaw, 60), pitch: within(found.pitch, 40) } : null;
  };

  return (
    <div className={css.marks} ref={host} data-pointing={pointing || undefined}>
      {pointing && (
        <div
          className={css.pointing}
          role="button"
          tabIndex={-1}
          aria-label="Click where the character is to look"
          data-testid="pointing"
          onClick={(event) => {
            const to = direction(event);
            set({ pointing: false });
            if (!to) return;
            lookAt(to, own?.id);
          }}
        >
          Click where they are to look; Esc cancels.
        </div>
      )}
      <i className={css.gaze} ref={gaze} title="Where they look now" />
      {marks.map((mark) => (
        <button
          key={mark.id}
          ref={(element) => {
            if (element) pins.current.set(mark.id, element);
            else pins.current.delete(mark.id);
          }}
          className={css.mark}
          data-looked={looked.includes(mark.id) || undefined}
          data-testid={`mark-${mark.name}`}
          aria-label={`Mark ${mark.name}: drag it; arrow keys move it by a degree`}
          onPointerDown={(event) => {
            event.stopPropagation();
            held.current = { ...mark, moved: false };
            event.currentTarget.setPointerCapture(event.pointerId);
          }}
          onPointerMove={(event) => {
            const own = held.current;
            const to = own && direction(event);
            if (!own || !to) return;
            void change({ do: 'change_mark', id: own.id, at: to }, `${own.id}`, own.moved);
            held.current = { id: own.id, moved: true, ...to };
          }}
          onPointerUp={() => {
            held.current = null;
          }}
          onLostPointerCapture={() => {
            held.current = null;
          }}
          onKeyDown={(event) => {
            const way = arrowOf(event);
            if (!way) return;
            taken(event);
            const at = { yaw: mark.yaw + way.right, pitch: mark.pitch - way.up };
            changeByKey({ do: 'change_mark', id: mark.id, at }, `${mark.id}`);
          }}
        >
          <span>{mark.name}</span>
        </button>
      ))}
    </div>
  );
}
