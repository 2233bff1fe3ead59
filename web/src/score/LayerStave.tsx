import { useRef, useState } from 'react';
import type { LineView } from '../api/client';
import { type LayerName, get, set, useView } from '../state';
import { snapped } from './hand';
import { type Axis, GUTTER, type Stave, toTime, toX } from './layout';
import { StaveMenu } from './StaveMenu';
import {
  type Laid,
  addLook,
  addMood,
  addMove,
  change,
  drawSpan,
  keyMood,
  keyMoodAt,
  spansOf,
} from './layers';
import { Levels } from './Levels';
import * as player from './player';

interface Props {
  line: LineView;
  axis: Axis;
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
function SpanBox({ line, axis, stave, name, laid, lane }: Props & { laid: Laid; lane: number }) {
  const layer = useView((s) => s.layer);
  const grip = useRef<Grip | null>(null);
  const [shown, setShown] = useState<Laid | null>(null);
  const now = shown ?? laid;
  const left = Math.max(toX(axis, now.span.start), GUTTER) - GUTTER;
  const right = toX(axis, now.span.end) - GUTTER;
  if (right < 0 || left > axis.width) return null;
  const chosen = layer?.name === name && layer.id === laid.id;
  const moved = (event: React.PointerEvent): Laid | null => {
    const own = grip.current;
    if (!own) return null;
    const far = [event.clientX - own.x, own.y - event.clientY] as const;
    const { start, end } = laid.span;
    const by = toTime(axis, far[0]) - toTime(axis, 0);
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
      className="layer-span"
      role="button"
      tabIndex={0}
      aria-label={`${laid.title}, ${laid.span.start.toFixed(2)} to ${laid.span.end.toFixed(2)} seconds`}
      aria-pressed={chosen}
      data-testid={`span-${name}-${laid.id}`}
      data-kind={name}
      data-lane={lane}
      data-id={laid.id}
      data-what="span"
      style={{ left, width: Math.max(right - left, 4), height: stave.height - 6 }}
      onKeyDown={(event) => {
        if (event.key === 'Enter') set({ layer: { name, id: laid.id } });
      }}
      onPointerDown={(event) => {
        event.stopPropagation();
        if (event.button !== 0) return;
        set({ layer: { name, id: laid.id }, diction: false });
        const box = event.currentTarget.getBoundingClientRect();
        const x = event.clientX - box.left;
        const what = x < EDGE ? 'from' : x > box.width - EDGE ? 'to' : 'open';
        grip.current = { what, x: event.clientX, y: event.clientY, moved: false };
        event.currentTarget.setPointerCapture(event.pointerId);
      }}
      onDoubleClick={(event) => {
        if (name !== 'mood') return;
        event.stopPropagation();
        const box = event.currentTarget.getBoundingClientRect();
        keyMoodAt(laid.id, snapped(toTime(axis, event.clientX - box.left + left + GUTTER)));
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
      {chosen && name === 'mood' && <SwellKeys line={line} axis={axis} stave={stave} laid={now} />}
    </div>
  );
}

/** Keys of the amount of the mood that is chosen, on its hill. */
function SwellKeys({ line, axis, stave, laid }: Omit<Props, 'name'> & { laid: Laid }) {
  const held = useRef<{ key: number; place: number; moved: boolean } | null>(null);
  const host = useRef<HTMLDivElement>(null);
  const mood = line.layers.moods.find((m) => m.id === laid.id);
  if (!mood) return null;
  const { start, end } = laid.span;
  const wide = toX(axis, end) - toX(axis, start);
  const hidden = Math.max(0, GUTTER - toX(axis, start));
  const high = stave.height - 7;
  return (
    <div className="swell-keys" ref={host}>
      {(mood.does.swell ?? []).map(([place, share], k) => (
        <button
          key={k}
          className="swell-key"
          data-testid={`swell-${k}`}
          aria-label={`${Math.round(share * 100)} % of its amount at ${(start + place * (end - start)).toFixed(2)} seconds; drag it, Del takes it out`}
          title={`${Math.round(share * 100)} % of its amount`}
          style={{
            left: place * wide - hidden,
            top: stave.height - 6 - Math.min(1, share * mood.does.amount) * high,
          }}
          onKeyDown={(event) => {
            if (event.key !== 'Delete') return;
            event.stopPropagation();
            void keyMood(laid.id, place, null);
          }}
          onPointerDown={(event) => {
            event.stopPropagation();
            if (event.button !== 0) return;
            held.current = { key: k, place, moved: false };
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
            const time = snapped(
              start + ((event.clientX - rect.left + hidden) / Math.max(wide, 1)) * (end - start),
            );
            const at = (time - start) / Math.max(end - start, 1e-6);
            const up = (rect.bottom - event.clientY) / high / Math.max(mood.does.amount, 0.05);
            const to: [number, number] = [
              Math.min(most, Math.max(least, at)),
              Math.round(Math.min(2, Math.max(0, up)) * 100) / 100,
            ];
            // It is named by the place it was brought to last.
            void keyMood(laid.id, own.place, to, `${laid.id} ${k}`, own.moved);
            held.current = { key: k, place: to[0], moved: true };
          }}
          onPointerUp={(event) => {
            event.stopPropagation();
            held.current = null;
          }}
          onLostPointerCapture={() => {
            held.current = null;
          }}
        />
      ))}
    </div>
  );
}

/** Blinks under the looks: those by rule as they are, those by hand to be moved. */
function Blinks({ line, axis, stave }: Omit<Props, 'name'>) {
  const layer = useView((s) => s.layer);
  const from = useRef<{ x: number; at: number; moved: boolean } | null>(null);
  return (
    <>
      {line.layers.blinks.map((blink) => {
        const x = toX(axis, blink.at) - GUTTER;
        if (x < -8 || x > axis.width) return null;
        return (
          <button
            key={blink.id}
            className="blink-mark"
            aria-label={`Blink by hand at ${blink.at.toFixed(2)} seconds`}
            aria-pressed={layer?.name === 'eyes' && layer.id === blink.id}
            data-testid={`blink-${blink.id}`}
            data-id={blink.id}
            data-what="blink"
            style={{ left: x - 8, top: stave.height - 16 }}
            onPointerDown={(event) => {
              event.stopPropagation();
              if (event.button !== 0) return;
              set({ layer: { name: 'eyes', id: blink.id } });
              from.current = { x: event.clientX, at: blink.at, moved: false };
              event.currentTarget.setPointerCapture(event.pointerId);
            }}
            onPointerMove={(event) => {
              const own = from.current;
              if (!own || (!own.moved && Math.abs(event.clientX - own.x) < 3)) return;
              const by = toTime(axis, event.clientX) - toTime(axis, own.x);
              const at = snapped(own.at + by);
              void change({ do: 'change_blink', id: blink.id, time: at }, `${blink.id}`, own.moved);
              own.moved = true;
            }}
            onPointerUp={() => {
              from.current = null;
            }}
          />
        );
      })}
    </>
  );
}

/** A stave of spans: a press chooses, a drag draws, a double click puts a new one. */
export function LayerStave({ line, axis, stave, name }: Props) {
  const spans = spansOf(line, name);
  const host = useRef<HTMLDivElement>(null);
  const timeAt = (clientX: number) =>
    Math.max(0, toTime(axis, clientX - (host.current?.getBoundingClientRect().left ?? 0) + GUTTER));
  return (
    <StaveMenu line={line} name={name} timeAt={timeAt}>
      {(asked) => (
        <div
          className="layer-stave"
          ref={host}
          data-testid={`stave-${name}`}
          style={{ top: stave.top, height: stave.height, left: GUTTER }}
          onContextMenuCapture={asked}
          onPointerDown={(event) => {
            if (event.button !== 0) return;
            const rect = event.currentTarget.getBoundingClientRect();
            set({ layer: { name, id: null }, diction: false });
            player.seek(toTime(axis, event.clientX - rect.left + GUTTER), true);
          }}
          onDoubleClick={() => {
            if (get().layer?.id != null) return;
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
              axis={axis}
              stave={stave}
              name={name}
              laid={laid}
              lane={
                spans.slice(0, i).filter((s) => Math.abs(s.span.start - laid.span.start) < 0.5).length % 2
              }
            />
          ))}
          {name === 'eyes' && <Blinks line={line} axis={axis} stave={stave} />}
          {name === 'hand' && <Touches line={line} axis={axis} stave={stave} />}
          <Levels line={line} axis={axis} stave={stave} name={name} />
        </div>
      )}
    </StaveMenu>
  );
}

/** Touches as boxes: passes by their names, keys by what they are on. */
function Touches({ line, axis, stave }: Omit<Props, 'name'>) {
  const groups = new Map<
    string,
    { start: number; end: number; title: string; ids: number[]; control: string }
  >();
  for (const touch of line.touches.filter((t) => !t.aside)) {
    const times = touch.keys.map((k) => k.time);
    const [start, end] = [Math.min(...times), Math.max(...times)];
    const name = touch.pass?.name ?? `${touch.on}: ${touch.control.replace(/_/g, ' ')}`;
    const own = groups.get(name);
    if (own) {
      own.start = Math.min(own.start, start);
      own.end = Math.max(own.end, end);
      own.ids.push(touch.id);
    } else groups.set(name, { start, end, title: name, ids: [touch.id], control: touch.control });
  }
  return (
    <>
      {[...groups.values()].map((g) => {
        const left = toX(axis, g.start) - GUTTER;
        const right = toX(axis, g.end) - GUTTER;
        if (right < 0 || left > axis.width) return null;
        return (
          <button
            key={g.title}
            className="layer-span"
            data-kind="hand"
            style={{ left, width: Math.max(right - left, 14), height: stave.height - 6 }}
            title={g.title}
            onPointerDown={(event) => event.stopPropagation()}
            onClick={() => {
              set({ layer: { name: 'hand', id: g.ids[0] ?? null }, selected: { word: null, sound: null } });
              player.seek(g.start);
            }}
          >
            <span>{g.title}</span>
          </button>
        );
      })}
    </>
  );
}
