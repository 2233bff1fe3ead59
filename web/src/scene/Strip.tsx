import { useRef, useState } from 'react';
import type { Reaction, SceneActor, SceneTurn, SceneView } from '../api/client';
import { Wave } from '../lines/Wave';
import * as player from '../score/player';
import { timeOf } from '../score/time';
import { go } from '../state';
import { Hint } from '../widgets/Hint';
import { useFrame } from '../widgets/useFrame';
import { change, frameOf, keyOf, lengthOf, putReaction, strip, titleOf, useStrip } from './data';
import css from './ScenePage.module.css';

/** Least pixels between two numbers of the ruler. */
const APART = 70;
/** Steps of the ruler, frames. */
const STEPS = [1, 2, 4, 6, 12, 24, 48, 96, 120, 240, 480, 960, 2400, 4800];

const percent = (share: number) => `${100 * share}%`;

/** What a reaction is, in a word or two. */
export function wordsOf(scene: SceneView, { does }: Reaction): string {
  if (does.kind === 'look') return does.at ? `looks at ${titleOf(scene, does.at)}` : 'looks away';
  return { nod: 'nod', breath: 'breath', blink: 'blink' }[does.kind];
}

/** The scene from its start to its end: a row for everybody, with its lines and below them how it listens. */
export function Strip({ scene }: { scene: SceneView }) {
  const zoom = useStrip((s) => s.zoom);
  const head = useRef<HTMLDivElement>(null);
  const inner = useRef<HTMLDivElement>(null);
  const length = Math.max(lengthOf(scene), 0.1);
  useFrame(() => {
    const now = player.now();
    if (head.current) head.current.style.left = percent(Math.min(1, now / length));
  });
  const seek = (event: React.PointerEvent) => {
    const box = inner.current?.getBoundingClientRect();
    if (box) player.seek(((event.clientX - box.left) / box.width) * length, true);
  };
  return (
    <div className={css.strip} data-testid="strip">
      <div className={css.names}>
        <div className={css.rulerName} />
        {scene.actors.map((a) => (
          <Hint key={a.character} says={`Look at ${a.title} from near, or at all again`}>
            <button
              className={css.rowName}
              onClick={() =>
                strip((s) => ({
                  listener: a.character,
                  near: s.near === a.character ? null : a.character,
                }))
              }
            >
              {a.title}
            </button>
          </Hint>
        ))}
      </div>
      <div className={css.scroller} tabIndex={-1}>
        <div className={css.inner} ref={inner} style={{ width: percent(zoom) }}>
          <Ruler scene={scene} length={length} onSeek={seek} />
          {scene.actors.map((a, i) => (
            <Row key={a.character} scene={scene} actor={a} place={i} length={length} onSeek={seek} />
          ))}
          <div className={css.head} ref={head} aria-hidden />
        </div>
      </div>
    </div>
  );
}

function Ruler({
  scene,
  length,
  onSeek,
}: {
  scene: SceneView;
  length: number;
  onSeek: (event: React.PointerEvent) => void;
}) {
  const zoom = useStrip((s) => s.zoom);
  // By the usual width of the page: numbers need not be to the pixel.
  const most = (Math.max(innerWidth - 160, 300) * zoom) / APART;
  const step = STEPS.find((s) => scene.frames / s <= most) ?? 9600;
  const all = Array.from({ length: Math.floor((scene.frames - 1) / step) + 1 }, (_, k) => k * step);
  // One that has no room before the end would be cut off.
  const numbers = all.filter((n) => (1 - n / scene.frames) * most >= 0.6);
  return (
    <div
      className={css.ruler}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        onSeek(event);
      }}
      onPointerMove={(event) => {
        if (event.currentTarget.hasPointerCapture(event.pointerId)) onSeek(event);
      }}
    >
      {numbers.map((n) => (
        <span key={n} style={{ left: percent(timeOf(scene.grid, scene.grid.first + n) / length) }}>
          {scene.grid.first + n}
        </span>
      ))}
    </div>
  );
}

/** Colours of rows, one after the other. */
const ROWS = ['gaze', 'lips', 'tongue', 'lids', 'head', 'jaw'];

function Row({
  scene,
  actor,
  place,
  length,
  onSeek,
}: {
  scene: SceneView;
  actor: SceneActor;
  place: number;
  length: number;
  onSeek: (event: React.PointerEvent) => void;
}) {
  const colour = ROWS[place % ROWS.length] ?? 'gaze';
  return (
    <div
      className={css.row}
      style={{ '--row': `var(--${colour})`, '--row-text': `var(--${colour}-text)` } as React.CSSProperties}
      onPointerDown={(event) => {
        if (event.target === event.currentTarget) {
          strip({ chosen: null });
          onSeek(event);
        }
      }}
    >
      {scene.turns
        .filter((t) => t.speaker === actor.character)
        .map((t) => (
          <TurnBar key={t.entry} scene={scene} turn={t} length={length} />
        ))}
      {actor.reactions.map((r) => (
        <ReactionBar key={keyOf(r)} scene={scene} reaction={r} length={length} />
      ))}
    </div>
  );
}

/** Something on the strip that can be dragged along; `onMoved` is called with seconds when it is let go. */
function useDrag(length: number, onMoved: (by: number) => void, snap: (by: number) => number) {
  const [pulled, setPulled] = useState(0);
  const from = useRef<{ x: number; width: number } | null>(null);
  const seconds = (event: React.PointerEvent) => {
    const start = from.current;
    return start ? snap(((event.clientX - start.x) / start.width) * length) : 0;
  };
  return {
    pulled,
    handlers: {
      onPointerDown: (event: React.PointerEvent<HTMLElement>) => {
        const width = event.currentTarget.closest('[data-testid="strip"]')?.querySelector(`.${css.inner}`);
        event.currentTarget.setPointerCapture(event.pointerId);
        from.current = { x: event.clientX, width: width?.clientWidth ?? 1 };
      },
      onPointerMove: (event: React.PointerEvent) => {
        if (from.current) setPulled(seconds(event));
      },
      onPointerUp: (event: React.PointerEvent) => {
        const by = seconds(event);
        from.current = null;
        setPulled(0);
        if (by !== 0) onMoved(by);
      },
      onPointerCancel: () => {
        from.current = null;
        setPulled(0);
      },
    },
  };
}

function TurnBar({ scene, turn: t, length }: { scene: SceneView; turn: SceneTurn; length: number }) {
  const chosen = useStrip((s) => s.chosen?.what === 'line' && s.chosen.entry === t.entry);
  const [held, setHeld] = useState<{ at: number; of: number } | null>(null);
  const onFrame = (time: number) => timeOf(scene.grid, frameOf(scene, time));
  const { pulled, handlers } = useDrag(
    length,
    (by) => {
      const start = onFrame(t.start + by);
      // Shown there until the server has put it there.
      setHeld({ at: start, of: t.start });
      void change({ do: 'start', entry: t.entry, start }).finally(() => setHeld(null));
    },
    (by) => onFrame(t.start + by) - t.start,
  );
  const start = held?.of === t.start && held.at !== t.start ? held.at : t.start + pulled;
  const called = t.name ?? String(t.number);
  return (
    <button
      className={css.turn}
      data-testid={`turn-${t.entry}`}
      data-start={t.start.toFixed(4)}
      data-untimed={!t.timed || undefined}
      data-overlaps={t.overlaps || undefined}
      aria-pressed={chosen}
      aria-label={`${called} · ${t.text}, from frame ${frameOf(scene, t.start)}`}
      style={{ left: percent(start / length), width: percent((t.end - t.start) / length) }}
      {...handlers}
      onClick={() => strip({ chosen: { what: 'line', entry: t.entry }, tab: 'scene' })}
      onDoubleClick={() => go('score', t.line)}
    >
      <span className={css.said}>
        {called} · {t.text || 'no text yet'}
      </span>
      <Wave wave={t.wave} />
    </button>
  );
}

function ReactionBar({
  scene,
  reaction: r,
  length,
}: {
  scene: SceneView;
  reaction: Reaction;
  length: number;
}) {
  const key = keyOf(r);
  const chosen = useStrip((s) => s.chosen?.what === 'reaction' && s.chosen.key === key);
  const { pulled, handlers } = useDrag(
    length,
    (by) => void putReaction(scene, r, { from: r.from + by, to: r.to + by }),
    (by) => by,
  );
  const words = wordsOf(scene, r);
  const says = `${words}, from frame ${frameOf(scene, r.from)}${r.id == null ? ', by rule' : ', by hand'}`;
  return (
    <Hint says={says}>
      {/* Too small for some hands; the list beside the stage has them all, too. */}
      <span
        className={css.reaction}
        aria-hidden
        data-kind={r.does.kind}
        data-hand={r.id != null || undefined}
        data-testid={`reaction-${key.replaceAll(' ', '-')}`}
        data-chosen={chosen || undefined}
        style={{
          left: percent((r.from + pulled) / length),
          width: percent((Math.min(r.to, length) - r.from) / length),
        }}
        {...handlers}
        onClick={() => strip({ chosen: { what: 'reaction', key }, tab: 'listening', listener: r.character })}
      >
        {r.does.kind === 'look' ? words : ''}
      </span>
    </Hint>
  );
}
