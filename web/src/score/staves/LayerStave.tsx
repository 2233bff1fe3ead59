import { memo, useRef, useState } from 'react';
import type { LineView } from '../../api/client';
import { type LayerName, get, useView } from '../../state';
import { STEP, arrowOf, taken } from '../arrows';
import { choose, howOf, idsOf, pressed, spanIds } from '../chosen';
import { snapped } from '../hand';
import {
  type Laid,
  addLook,
  addMood,
  addMove,
  change,
  changeByKey,
  drawSpan,
  drawSpanByKey,
  inOrder,
  keyMood,
  keyMoodAt,
  spansOf,
} from '../layers';
import * as player from '../player';
import { Hint } from '../../widgets/Hint';
import { GUTTER, type Stave, axisNow, lying, secondsNow, toTime } from './axis';
import css from './LayerStave.module.css';
import { Levels } from './Levels';
import { useStaveMenu } from './StaveMenu';

interface Props {
  line: LineView;
  width: number;
  stave: Stave;
  name: LayerName;
}

/** Pixels at the ends of a span that stretch it. */
const EDGE = 7;
/** Shortest span, seconds. */
const SHORTEST = 0.1;

type Grip = {
  what: 'move' | 'from' | 'to' | 'amount' | 'open';
  x: number;
  y: number;
  moved: boolean;
};

/** One span that is dragged about, stretched at its ends and, a mood, made stronger by dragging up. */
function SpanBox({
  line,
  width,
  stave,
  name,
  laid,
  lane,
  timeAt,
}: Props & {
  laid: Laid;
  lane: number;
  timeAt: (clientX: number) => number;
}) {
  const chosenNow = useView((s) => s.chosen);
  const grip = useRef<Grip | null>(null);
  const [shown, setShown] = useState<Laid | null>(null);
  const now = shown ?? laid;
  const chosen = spanIds(chosenNow, name).includes(laid.id);
  const moved = (event: React.PointerEvent): Laid | null => {
    const own = grip.current;
    if (!own) return null;
    const far = [event.clientX - own.x, own.y - event.clientY] as const;
    const { start, end } = laid.span;
    const by = secondsNow(far[0], width);
    switch (own.what) {
      case 'from':
        return { ...laid, span: { start: Math.min(snapped(start + by), end - SHORTEST), end } };
      case 'to':
        return { ...laid, span: { start, end: Math.max(snapped(end + by), start + SHORTEST) } };
      case 'amount': {
        const amount = Math.min(1, Math.max(0.02, (laid.amount ?? 1) + far[1] / 90));
        return { ...laid, amount };
      }
      default: {
        const from = Math.max(0, snapped(start + by));
        return { ...laid, span: { start: from, end: Math.min(from + end - start, line.summary.duration) } };
      }
    }
  };
  return (
    <div
      className={css.span}
      role="button"
      tabIndex={0}
      aria-label={`${laid.title}, ${laid.span.start.toFixed(2)} to ${laid.span.end.toFixed(2)} seconds`}
      aria-pressed={chosen}
      data-testid={`span-${name}-${laid.id}`}
      data-kind={name}
      data-lane={lane}
      data-id={laid.id}
      data-what="span"
      style={{ ...lying(now.span.start, now.span.end), height: stave.height - 6 }}
      onKeyDown={(event) => {
        if (event.key === 'Enter' || event.key === ' ')
          choose({ what: 'spans', layer: name, ids: [laid.id] }, name);
        else if (!moveByKey(event, name, laid)) return;
        taken(event);
      }}
      onPointerDown={(event) => {
        event.stopPropagation();
        if (event.button !== 0) return;
        pressSpan(line, name, laid.id, event);
        const box = event.currentTarget.getBoundingClientRect();
        const x = event.clientX - box.left;
        const what = x < EDGE ? 'from' : x > box.width - EDGE ? 'to' : 'open';
        grip.current = { what, x: event.clientX, y: event.clientY, moved: false };
        event.currentTarget.setPointerCapture(event.pointerId);
      }}
      onDoubleClick={(event) => {
        if (name !== 'mood') return;
        event.stopPropagation();
        keyMoodAt(laid.id, snapped(timeAt(event.clientX)));
      }}
      onPointerMove={(event) => {
        const own = grip.current;
        if (!own) return;
        const [dx, dy] = [Math.abs(event.clientX - own.x), Math.abs(event.clientY - own.y)];
        // Which way it first goes decides what is dragged.
        if (own.what === 'open') {
          if (Math.max(dx, dy) < 4) return;
          own.what = dy > dx && laid.amount !== undefined ? 'amount' : 'move';
        } else if (!own.moved && dx < 3 && own.what !== 'amount') return;
        const next = moved(event);
        if (!next) return;
        setShown(next);
        drawSpan(name, laid.id, next.span, next.amount, own.moved);
        own.moved = true;
      }}
      onPointerUp={(event) => {
        const next = grip.current?.moved ? moved(event) : null;
        if (next) drawSpan(name, laid.id, next.span, next.amount, true);
        grip.current = null;
        setShown(null);
      }}
      onLostPointerCapture={() => {
        grip.current = null;
        setShown(null);
      }}
    >
      <span>{laid.title}</span>
      {chosen && name === 'mood' && <SwellKeys line={line} width={width} stave={stave} laid={now} />}
    </div>
  );
}

/** Chooses a span or a blink as it was pressed, and opens its bench. */
function pressSpan(line: LineView, layer: LayerName, id: number, event: React.PointerEvent) {
  const ids = pressed(spanIds(get().chosen, layer), id, howOf(event), inOrder(line, layer));
  choose({ what: 'spans', layer, ids }, layer);
}

/** Where an arrow key moves something that lies at a time; nothing of other keys. */
function alongByKey(event: React.KeyboardEvent, time: number): number | null {
  const way = arrowOf(event);
  if (!way?.right || event.ctrlKey || event.metaKey) return null;
  taken(event);
  return Math.max(0, time + way.right * STEP);
}

/** Moves a focused span with the arrow keys: along, with Shift its end; up and down for the amount. */
function moveByKey(event: React.KeyboardEvent, name: LayerName, laid: Laid): boolean {
  const { start, end } = laid.span;
  const way = arrowOf(event);
  if (!way) return false;
  if (way.right && !event.ctrlKey && !event.metaKey) {
    const by = way.right * STEP;
    const to = event.shiftKey
      ? { start, end: Math.max(start + SHORTEST, end + by) }
      : { start: Math.max(0, start + by), end: Math.max(0, start + by) + end - start };
    drawSpanByKey(name, laid.id, to);
    return true;
  }
  if (!way.up || laid.amount === undefined) return false;
  drawSpanByKey(name, laid.id, laid.span, Math.min(1, Math.max(0.02, laid.amount + 0.05 * way.up)));
  return true;
}

/** Keys of the amount of the mood that is chosen, on its hill. */
function SwellKeys({ line, width, stave, laid }: Omit<Props, 'name'> & { laid: Laid }) {
  const held = useRef<{ key: number; place: number; x: number; time: number; moved: boolean } | null>(null);
  const host = useRef<HTMLDivElement>(null);
  const mood = line.layers.moods.find((m) => m.id === laid.id);
  if (!mood) return null;
  const { start, end } = laid.span;
  const high = stave.height - 7;
  return (
    <div className={css.swells} ref={host}>
      {(mood.does.swell ?? []).map(([place, share], k) => (
        <Hint key={k} says={`${Math.round(share * 100)} % of its amount`}>
          <button
            className={css.swell}
            data-testid={`swell-${k}`}
            aria-label={`${Math.round(share * 100)} % of its amount at ${(start + place * (end - start)).toFixed(2)} seconds; drag it or use the arrow keys, Delete takes it away`}
            style={{
              ...lying(start + place * (end - start)),
              top: stave.height - 6 - Math.min(1, share * mood.does.amount) * high,
            }}
            onKeyDown={(event) => {
              const way = arrowOf(event);
              if (event.key === 'Delete') void keyMood(laid.id, place, null);
              else if (!way) return;
              else {
                const at = place + (way.right * STEP) / Math.max(end - start, 0.1);
                void keyMood(
                  laid.id,
                  place,
                  [Math.min(1, Math.max(0, at)), Math.min(2, Math.max(0, share + 0.05 * way.up))],
                  `${laid.id} ${k}`,
                  true,
                );
              }
              taken(event);
            }}
            onPointerDown={(event) => {
              event.stopPropagation();
              if (event.button !== 0) return;
              const time = start + place * (end - start);
              held.current = { key: k, place, x: event.clientX, time, moved: false };
              event.currentTarget.setPointerCapture(event.pointerId);
            }}
            onPointerMove={(event) => {
              const own = held.current;
              const rect = host.current?.getBoundingClientRect();
              if (own?.key !== k || !rect) return;
              event.stopPropagation();
              const keys = mood.does.swell ?? [];
              // It stays between its neighbours.
              const [least, most] = [keys[k - 1]?.[0] ?? 0, keys[k + 1]?.[0] ?? 1];
              const time = snapped(own.time + secondsNow(event.clientX - own.x, width));
              const at = (time - start) / Math.max(end - start, 1e-6);
              const up = (rect.bottom - event.clientY) / high / Math.max(mood.does.amount, 0.05);
              const to: [number, number] = [
                Math.min(most, Math.max(least, at)),
                Math.round(Math.min(2, Math.max(0, up)) * 100) / 100,
              ];
              // It is named by the place it was brought to last.
              void keyMood(laid.id, own.place, to, `${laid.id} ${k}`, own.moved);
              held.current = { ...own, place: to[0], moved: true };
            }}
            onPointerUp={(event) => {
              event.stopPropagation();
              held.current = null;
            }}
            onLostPointerCapture={() => {
              held.current = null;
            }}
          />
        </Hint>
      ))}
    </div>
  );
}

/** Blinks under the looks: those by rule as they are, those by hand to be moved. */
function Blinks({ line, width, stave }: Omit<Props, 'name'>) {
  const chosen = useView((s) => s.chosen);
  const from = useRef<{ x: number; at: number; moved: boolean } | null>(null);
  return (
    <>
      {line.layers.blinks.map((blink) => (
        <button
          key={blink.id}
          className={css.blink}
          aria-label={`Blink by hand at ${blink.at.toFixed(2)} seconds`}
          aria-pressed={spanIds(chosen, 'eyes').includes(blink.id)}
          data-testid={`blink-${blink.id}`}
          data-id={blink.id}
          data-what="blink"
          style={{ ...lying(blink.at), top: stave.height - 16 }}
          onClick={(event) =>
            event.detail === 0 && choose({ what: 'spans', layer: 'eyes', ids: [blink.id] }, 'eyes')
          }
          onKeyDown={(event) => {
            const time = alongByKey(event, blink.at);
            if (time !== null) changeByKey({ do: 'change_blink', id: blink.id, time }, `${blink.id}`);
          }}
          onPointerDown={(event) => {
            event.stopPropagation();
            if (event.button !== 0) return;
            pressSpan(line, 'eyes', blink.id, event);
            from.current = { x: event.clientX, at: blink.at, moved: false };
            event.currentTarget.setPointerCapture(event.pointerId);
          }}
          onPointerMove={(event) => {
            const own = from.current;
            if (!own || (!own.moved && Math.abs(event.clientX - own.x) < 3)) return;
            const by = secondsNow(event.clientX - own.x, width);
            const at = snapped(own.at + by);
            void change({ do: 'change_blink', id: blink.id, time: at }, `${blink.id}`, own.moved);
            own.moved = true;
          }}
          onPointerUp={() => {
            from.current = null;
          }}
        />
      ))}
    </>
  );
}

/** A stave of spans: a press chooses, a drag on the ground draws a box around several, a double click lays a new one. */
export const LayerStave = memo(function LayerStave({ line, width, stave, name }: Props) {
  const spans = spansOf(line, name);
  const host = useRef<HTMLDivElement>(null);
  const from = useRef<{ x: number; moved: boolean } | null>(null);
  const [box, setBox] = useState<{ left: number; width: number } | null>(null);
  const timeAt = (clientX: number) =>
    Math.max(0, toTime(axisNow(width), clientX - (host.current?.getBoundingClientRect().left ?? 0) + GUTTER));
  const menu = useStaveMenu(line, name, timeAt);
  const within = (a: number, b: number) => {
    const [start, end] = [Math.min(a, b), Math.max(a, b)];
    const blinks =
      name === 'eyes' ? line.layers.blinks.filter((k) => k.at >= start && k.at <= end).map((k) => k.id) : [];
    return [...spans.filter((s) => s.span.end > start && s.span.start < end).map((s) => s.id), ...blinks];
  };
  return (
    <>
      <div
        className={css.stave}
        ref={host}
        data-testid={`stave-${name}`}
        style={{ top: stave.top, height: stave.height, left: GUTTER }}
        onContextMenu={menu.ask}
        onPointerDown={(event) => {
          if (event.button !== 0) return;
          event.currentTarget.setPointerCapture(event.pointerId);
          from.current = { x: event.clientX, moved: false };
        }}
        onPointerMove={(event) => {
          const own = from.current;
          if (!own || (!own.moved && Math.abs(event.clientX - own.x) < 4)) return;
          own.moved = true;
          const left = host.current?.getBoundingClientRect().left ?? 0;
          setBox({ left: Math.min(own.x, event.clientX) - left, width: Math.abs(event.clientX - own.x) });
        }}
        onPointerUp={(event) => {
          const own = from.current;
          from.current = null;
          setBox(null);
          if (!own) return;
          if (!own.moved) {
            choose(null, name);
            player.seek(timeAt(event.clientX), true);
            return;
          }
          const before = howOf(event) === 'alone' ? [] : spanIds(get().chosen, name);
          const found = within(timeAt(own.x), timeAt(event.clientX));
          choose({ what: 'spans', layer: name, ids: [...new Set([...before, ...found])] }, name);
        }}
        onLostPointerCapture={() => {
          from.current = null;
          setBox(null);
        }}
        onDoubleClick={() => {
          if (get().chosen) return;
          if (name === 'mood') addMood('happiness');
          else if (name === 'eyes') {
            const [, second] = line.layers.settings.marks;
            addLook(second ? { kind: 'face', mark: second.id } : { kind: 'think' });
          } else if (name === 'head') addMove({ kind: 'turn', yaw: 12, pitch: 0, roll: 2 });
        }}
      >
        {spans.map((laid, i) => (
          <SpanBox
            key={laid.id}
            line={line}
            width={width}
            stave={stave}
            name={name}
            laid={laid}
            timeAt={timeAt}
            lane={spans.slice(0, i).filter((s) => Math.abs(s.span.start - laid.span.start) < 0.5).length % 2}
          />
        ))}
        {name === 'eyes' && <Blinks line={line} width={width} stave={stave} />}
        {name === 'hand' && <Touches line={line} width={width} stave={stave} />}
        <Levels line={line} width={width} stave={stave} name={name} />
        {box && <i className={css.box} style={box} />}
      </div>
      {menu.menu}
    </>
  );
});

/** Touches as boxes: passes by their names, keys by what they are on. */
function Touches({ line, width, stave }: Omit<Props, 'name'>) {
  const chosen = useView((s) => s.chosen);
  const held = useRef<{ x: number; start: number; moved: boolean } | null>(null);
  const groups = new Map<string, { start: number; end: number; title: string; ids: number[] }>();
  for (const touch of line.touches.filter((t) => !t.aside)) {
    const times = touch.keys.map((k) => k.time);
    const [start, end] = [Math.min(...times), Math.max(...times)];
    const name = touch.pass?.name ?? `${touch.on}: ${touch.control.replace(/_/g, ' ')}`;
    const own = groups.get(name);
    if (own) {
      own.start = Math.min(own.start, start);
      own.end = Math.max(own.end, end);
      own.ids.push(touch.id);
    } else groups.set(name, { start, end, title: name, ids: [touch.id] });
  }
  return (
    <>
      {[...groups.values()].map((g) => (
        <button
          key={g.title}
          className={css.span}
          data-kind="hand"
          data-id={g.ids[0]}
          data-what="touch"
          aria-pressed={g.ids.some((id) => idsOf(chosen, 'touches').includes(id))}
          style={{ ...lying(g.start, g.end), height: stave.height - 6 }}
          data-testid={`touches-${g.title}`}
          onKeyDown={(event) => {
            const to = alongByKey(event, g.start);
            if (to !== null) changeByKey({ do: 'move_touches', touches: g.ids, to }, `${g.ids[0] ?? 0}`);
          }}
          onPointerDown={(event) => {
            event.stopPropagation();
            if (event.button !== 0) return;
            event.currentTarget.setPointerCapture(event.pointerId);
            held.current = { x: event.clientX, start: g.start, moved: false };
          }}
          onPointerMove={(event) => {
            const own = held.current;
            if (!own || (!own.moved && Math.abs(event.clientX - own.x) < 4)) return;
            const by = secondsNow(event.clientX - own.x, width);
            const to = Math.max(0, snapped(own.start + by));
            void change({ do: 'move_touches', touches: g.ids, to }, `${g.ids[0] ?? 0}`, own.moved);
            own.moved = true;
          }}
          onLostPointerCapture={() => {
            held.current = null;
          }}
          onClick={(event) => {
            const more = howOf(event) !== 'alone' ? idsOf(get().chosen, 'touches') : [];
            choose({ what: 'touches', ids: [...new Set([...more, ...g.ids])] }, 'hand');
            player.seek(g.start);
          }}
        >
          <span>{g.title}</span>
        </button>
      ))}
    </>
  );
}
