import { useEffect, useRef, useState } from 'react';
import type { CastMember } from '../api/client';
import { tell } from '../api/client';
import { useView } from '../state';
import { Stage } from './stage';

/** The stages that are on the page. */
const stages = new Set<Stage>();

/** Puts the face into the picture on every stage. */
export const frameStages = () => stages.forEach((s) => s.frame());

/** Looks at the face from a side, on every stage. */
export const lookFrom = (degrees: number, near?: number) => stages.forEach((s) => s.lookFrom(degrees, near));

/** Milliseconds that the last pictures took to be posed and handed to the graphics, for measuring. */
const spent: { pose: number; draw: number }[] = [];
Object.assign(window, { jamLipsSpent: spent });

/** What the character shows now: a value of one of its targets. */
export type Source = () => (target: number) => number;

interface Props {
  member: CastMember;
  source: Source;
  /** A second state that is shown in the right half of the face, if it gives one. */
  other?: () => ReturnType<Source> | null;
  /** What the character is doing, for those who do not see it. */
  label: string;
  /** A shape that is shown in full beside what `source` says. */
  peek?: string | null;
  /** Whether the mouth's close-up is shown. */
  inset?: boolean;
  /** Called with every picture, for marks on the stage's element. */
  onShown?: (element: HTMLElement, value: (target: number) => number, stage: Stage) => void;
  /** Called with the target that moves the skin most where somebody clicked it. */
  onPoint?: (target: number) => void;
  children?: React.ReactNode;
}

/** The character on its stage, posed anew for every picture. */
export function StageView({
  member,
  source,
  other,
  label,
  peek = null,
  inset = false,
  onShown,
  onPoint,
  children,
}: Props) {
  const host = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const stage = useRef<Stage | null>(null);
  const shown = useRef({ source, other, peek, onShown });
  const pressed = useRef({ x: 0, y: 0 });
  const [ready, setReady] = useState('');
  const model = `${member.id}/${member.model}`;

  useEffect(() => {
    shown.current = { source, other, peek, onShown };
  });

  useEffect(() => {
    const element = host.current;
    if (!element || !canvas.current) return;
    const made = new Stage(canvas.current, inset);
    stage.current = made;
    stages.add(made);
    const observer = new ResizeObserver(() => made.resize(element.clientWidth, element.clientHeight));
    observer.observe(element);
    let running = true;
    const tick = () => {
      if (!running) return;
      const began = performance.now();
      let posed = began;
      const value = shown.current.source();
      const beside = shown.current.other?.() ?? null;
      if (beside) made.drawBeside(value, beside);
      else {
        made.pose(value, shown.current.peek);
        posed = performance.now();
        made.draw();
      }
      element.dataset.split = beside ? 'yes' : '';
      shown.current.onShown?.(element, value, made);
      spent.push({ pose: posed - began, draw: performance.now() - posed });
      if (spent.length > 600) spent.shift();
      requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
    return () => {
      running = false;
      observer.disconnect();
      stages.delete(made);
      made.dispose();
      stage.current = null;
    };
  }, [inset]);

  useEffect(() => {
    let gone = false;
    stage.current
      ?.load(member)
      .then(() => {
        if (!gone) setReady(model);
      })
      .catch(tell);
    return () => {
      gone = true;
    };
    // The model alone decides; a changed wiring is taken up below.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [model, inset]);

  const locked = useView((s) => s.locked);
  useEffect(() => {
    if (ready === model) stage.current?.lock(locked);
  }, [locked, ready, model]);

  useEffect(() => {
    if (ready === model) stage.current?.wire(member);
  }, [member, ready, model]);

  return (
    <div className="stage" ref={host} data-testid="stage" data-ready={ready === model || undefined}>
      <canvas
        ref={canvas}
        style={{ width: '100%', height: '100%' }}
        aria-label={label}
        role="img"
        onPointerDown={(event) => {
          pressed.current = { x: event.clientX, y: event.clientY };
        }}
        onClick={(event) => {
          // A drag turns the camera; a click points.
          const far = Math.hypot(event.clientX - pressed.current.x, event.clientY - pressed.current.y);
          const rect = event.currentTarget.getBoundingClientRect();
          const target = stage.current?.pointAt(
            (event.clientX - rect.left) / rect.width,
            (event.clientY - rect.top) / rect.height,
          );
          if (far < 4 && target !== undefined && target >= 0) onPoint?.(target);
        }}
      />
      {inset && <div className="frame" />}
      {children}
    </div>
  );
}
