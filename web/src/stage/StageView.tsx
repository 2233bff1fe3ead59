import { useEffect, useRef, useState } from 'react';
import type { CastMember } from '../api/client';
import { useSettings } from '../settings';
import { useView } from '../state';
import { tell } from '../widgets/tell';
import { useFrame } from '../widgets/useFrame';
import type { Wish } from './arrange';
import { takeGraphics } from './graphics';
import { Stage } from './stage';
import { sharesIn } from './shares';
import { stages } from './stages';
import css from './StageView.module.css';

/** The stages of this kind, for measuring. */
const own = new Set<Stage>();

/** Milliseconds that the last pictures took to be posed and handed to the graphics. */
const spent: { pose: number; draw: number }[] = [];

// What tests and measurements ask of the stages.
Object.assign(window, {
  jamLips: {
    spent,
    lips: () => [...own].map((s) => s.lips()),
    shift: () => Math.max(0, ...[...own].map((s) => s.shift())),
  },
});

/** What the character shows now: a value of one of its targets. */
export type Source = () => (target: number) => number;

interface Props {
  member: CastMember;
  source: Source;
  /** A second state that is shown in the right half of the face, if it gives one. */
  other?: () => ReturnType<Source> | null;
  /** What the character is doing, for those who do not see it. */
  label: string;
  /** Shapes that are shown beside what `source` says, each so far. */
  peek?: () => readonly [string, number][];
  /** How the picture is divided; the face alone without. */
  wish?: Wish;
  /** Called with every picture, for marks on the stage's element. */
  onShown?: (element: HTMLElement, value: (target: number) => number, stage: Stage) => void;
  /** Called with the target that moves the skin most where somebody clicked it. */
  onPoint?: (target: number) => void;
  children?: React.ReactNode;
}

const FACE: Wish = { closeUp: 'off', corner: 'bottom right', two: false };

/** The character on its stage, posed anew for every picture. */
export function StageView({
  member,
  source,
  other,
  label,
  peek,
  wish = FACE,
  onShown,
  onPoint,
  children,
}: Props) {
  const host = useRef<HTMLDivElement>(null);
  const picture = useRef<HTMLDivElement>(null);
  const stage = useRef<Stage | null>(null);
  const pressed = useRef({ x: 0, y: 0 });
  const [ready, setReady] = useState('');
  const model = `${member.id}/${member.model}`;
  const { closeUp, corner, two } = wish;
  const sideLight = useSettings((s) => s.sideLight);
  const locked = useView((s) => s.locked);

  useEffect(() => {
    const element = host.current;
    if (!element || !picture.current) return;
    const graphics = takeGraphics();
    picture.current.append(graphics.canvas);
    const made = new Stage(graphics, FACE);
    stage.current = made;
    stages.add(made);
    own.add(made);
    const observer = new ResizeObserver(() => made.resize(element.clientWidth, element.clientHeight));
    observer.observe(element);
    return () => {
      observer.disconnect();
      stages.delete(made);
      own.delete(made);
      made.dispose();
      stage.current = null;
    };
  }, []);
  useEffect(() => stage.current?.arrange({ closeUp, corner, two }), [closeUp, corner, two]);
  useEffect(() => stage.current?.light(sideLight), [sideLight]);

  useFrame(() => {
    const [element, made] = [host.current, stage.current];
    if (!element || !made) return;
    const began = performance.now();
    let posed = began;
    const value = source();
    const beside = other?.() ?? null;
    if (beside) made.drawBeside(value, beside);
    else {
      made.pose(value, peek?.());
      posed = performance.now();
      made.draw();
    }
    const split = beside ? 'yes' : '';
    if (element.dataset.split !== split) element.dataset.split = split;
    onShown?.(element, value, made);
    spent.push({ pose: posed - began, draw: performance.now() - posed });
    if (spent.length > 600) spent.shift();
  });

  const newest = useRef(member);
  useEffect(() => {
    newest.current = member;
  });
  useEffect(() => {
    let gone = false;
    stage.current
      ?.load(newest.current)
      .then((shown) => {
        if (!gone && shown) setReady(model);
      })
      .catch((error: unknown) => {
        if (!gone) tell(error);
      });
    return () => {
      gone = true;
    };
  }, [model]);

  useEffect(() => {
    if (ready === model) stage.current?.lock(locked);
  }, [locked, ready, model]);
  useEffect(() => {
    if (ready === model) stage.current?.wire(member);
  }, [member, ready, model]);

  return (
    <div className={css.stage} ref={host} data-testid="stage" data-ready={ready === model || undefined}>
      <div
        ref={picture}
        className={css.picture}
        aria-label={label}
        role="img"
        onPointerDown={(event) => {
          pressed.current = { x: event.clientX, y: event.clientY };
        }}
        onClick={(event) => {
          // A drag turns the camera; a click points.
          const far = Math.hypot(event.clientX - pressed.current.x, event.clientY - pressed.current.y);
          if (far >= 4) return;
          const target = stage.current?.pointAt(
            ...sharesIn(event, event.currentTarget.getBoundingClientRect()),
          );
          if (target !== undefined && target >= 0) onPoint?.(target);
        }}
      />
      {children}
    </div>
  );
}
