import { memo, useEffect, useRef } from 'react';
import type { Grid, LineView } from '../../api/client';
import { type Span, useView } from '../../state';
import { Hint } from '../../widgets/Hint';
import * as player from '../player';
import { GUTTER, RULER, axisNow, lying, toTime, toX } from './axis';
import { drawRuler } from './draw/ruler';
import { colours } from './draw/paint';
import { sized } from './draw/sized';
import css from './Ruler.module.css';

/** Height of the strip on which the range to be looped is drawn. */
const STRIP = 11;
const GRIP = 7;

type Grip =
  | { what: 'scrub' }
  | { what: 'range'; from: number }
  | { what: 'start' | 'end' | 'move'; at: number; loop: Span };

/** Frames over time: its upper strip takes the range that is looped, the rest scrubs. */
export const Ruler = memo(function Ruler({
  line,
  grid,
  width,
  fresh,
}: {
  line: LineView;
  grid: Grid;
  width: number;
  fresh: number;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const grip = useRef<Grip | null>(null);
  const loop = useView((s) => s.loop);
  useEffect(() => {
    const draw = () => {
      const c = canvas.current?.getContext('2d');
      if (!canvas.current || !c || width === 0) return;
      sized(canvas.current, c, width, RULER);
      drawRuler(c, colours(), axisNow(width), grid);
    };
    draw();
    return useView.subscribe((now, before) => {
      if (now.view !== before.view) draw();
    });
  }, [width, grid, fresh]);

  const { duration } = line.summary;
  const at = (event: React.PointerEvent) => {
    const rect = event.currentTarget.getBoundingClientRect();
    const time = toTime(axisNow(width), event.clientX - rect.left + GUTTER);
    return {
      time: Math.max(0, Math.min(time, duration)),
      y: event.clientY - rect.top,
      x: event.clientX - rect.left + GUTTER,
    };
  };
  const hold = ({ time, y, x }: ReturnType<typeof at>): Grip => {
    if (y >= STRIP) return { what: 'scrub' };
    if (loop) {
      const axis = axisNow(width);
      if (Math.abs(x - toX(axis, loop.start)) < GRIP) return { what: 'start', at: time, loop };
      if (Math.abs(x - toX(axis, loop.end)) < GRIP) return { what: 'end', at: time, loop };
      if (time > loop.start && time < loop.end) return { what: 'move', at: time, loop };
    }
    return { what: 'range', from: time };
  };
  const move = (now: Grip, time: number) => {
    if (now.what === 'scrub') return player.seek(time, true);
    if (now.what === 'range') {
      if (Math.abs(time - now.from) < 0.02) return;
      return player.setLoop({ start: Math.min(time, now.from), end: Math.max(time, now.from) });
    }
    const { start, end } = now.loop;
    const by = time - now.at;
    if (now.what === 'start') player.setLoop({ start: Math.max(0, Math.min(start + by, end - 0.05)), end });
    else if (now.what === 'end')
      player.setLoop({ start, end: Math.min(duration, Math.max(end + by, start + 0.05)) });
    else {
      const from = Math.max(0, Math.min(start + by, duration - (end - start)));
      player.setLoop({ start: from, end: from + end - start });
    }
  };
  return (
    <div className={css.ruler} style={{ height: RULER }}>
      <span className={css.name}>Frames</span>
      <canvas ref={canvas} className={css.canvas} aria-hidden />
      <Hint
        says={
          loop
            ? 'The range that is looped: drag it or its ends; a double click ends it'
            : 'Drag here for a range to be looped (I and O set its ends), below to scrub'
        }
      >
        <div
          className={css.ground}
          data-testid="ruler"
          style={{ left: GUTTER }}
          onPointerDown={(event) => {
            if (event.button !== 0) return;
            event.currentTarget.setPointerCapture(event.pointerId);
            const place = at(event);
            grip.current = hold(place);
            if (grip.current.what === 'scrub') player.seek(place.time, true);
          }}
          onPointerMove={(event) => {
            if (grip.current) move(grip.current, at(event).time);
          }}
          onLostPointerCapture={() => {
            grip.current = null;
          }}
          onDoubleClick={(event) => {
            if (event.clientY - event.currentTarget.getBoundingClientRect().top < STRIP) player.setLoop(null);
          }}
        >
          {loop && (
            <i
              className={css.range}
              data-testid="range"
              style={{ ...lying(loop.start, loop.end), height: STRIP - 1 }}
            />
          )}
        </div>
      </Hint>
    </div>
  );
});
