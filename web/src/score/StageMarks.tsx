import { useLayoutEffect, useRef } from 'react';
import type { LineView } from '../api/client';
import { currentCurves } from '../api/live';
import { set, useView } from '../state';
import type { Stage } from '../stage/stage';
import { at } from './draw';
import { addLook, changeLayers, changeSettings, phraseAt } from './layers';
import * as player from './player';

/** A name that no mark has yet. */
const spotName = (names: string[]) => {
  let number = 1;
  while (names.includes(`spot ${number}`)) number++;
  return `spot ${number}`;
};

/** Marks as they stand before the face, to be dragged about, and where the character looks now. */
export function StageMarks({ line, stage }: { line: LineView; stage: React.RefObject<Stage | null> }) {
  const pointing = useView((s) => s.pointing);
  const layer = useView((s) => s.layer);
  const host = useRef<HTMLDivElement>(null);
  const pins = useRef(new Map<string, HTMLElement>());
  const gaze = useRef<HTMLElement>(null);
  const held = useRef<{ name: string; moved: boolean; yaw: number; pitch: number } | null>(null);
  const { marks } = line.layers.settings;
  const chosen = line.layers.looks.find((l) => l.id === layer?.id)?.does;
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
        const own = held.current?.name === mark.name ? held.current : mark;
        put(pins.current.get(mark.name), own.yaw, own.pitch);
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
    const found = stage.current?.directionAt(
      (event.clientX - rect.left) / rect.width,
      (event.clientY - rect.top) / rect.height,
    );
    const within = (v: number, most: number) => Math.max(-most, Math.min(most, v));
    return found ? { yaw: within(found.yaw, 60), pitch: within(found.pitch, 40) } : null;
  };

  return (
    <div className="stage-marks" ref={host} data-pointing={pointing || undefined}>
      {pointing && (
        <div
          className="stage-pointing"
          role="button"
          tabIndex={-1}
          aria-label="Click where the character is to look"
          data-testid="pointing"
          onClick={(event) => {
            const to = direction(event);
            set({ pointing: false });
            if (!to) return;
            const name = spotName(marks.map((m) => m.name));
            const settings = { ...line.layers.settings, marks: [...marks, { name, ...to }] };
            const look = line.layers.looks.find((l) => l.id === layer?.id);
            if (look) {
              const does = { kind: 'at' as const, mark: name };
              changeLayers({ what: 'look there', settings, looks: [{ ...look, does }] });
            } else addLook({ kind: 'at', mark: name }, settings, phraseAt(line, player.now()));
          }}
        >
          Click where they are to look. Esc lets it be.
        </div>
      )}
      <i className="gaze-dot" ref={gaze} title="Where they look now" />
      {marks.map((mark) => (
        <button
          key={mark.name}
          ref={(element) => {
            if (element) pins.current.set(mark.name, element);
            else pins.current.delete(mark.name);
          }}
          className="stage-mark"
          data-looked={looked.includes(mark.name) || undefined}
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
            const next = marks.map((m) => (m.name === own.name ? { name: m.name, ...to } : m));
            changeSettings(`move the mark ${own.name}`, { marks: next }, own.moved);
            held.current = { name: own.name, moved: true, ...to };
          }}
          onPointerUp={() => {
            held.current = null;
          }}
          onLostPointerCapture={() => {
            held.current = null;
          }}
          onKeyDown={(event) => {
            const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[
              event.key
            ];
            if (!way) return;
            event.preventDefault();
            event.stopPropagation();
            const [x = 0, y = 0] = way;
            const moved = { name: mark.name, yaw: mark.yaw + x, pitch: mark.pitch + y };
            const next = marks.map((m) => (m.name === mark.name ? moved : m));
            changeSettings(`move the mark ${mark.name}`, { marks: next }, true);
          }}
        >
          <span>{mark.name}</span>
        </button>
      ))}
    </div>
  );
}
