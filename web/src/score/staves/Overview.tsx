import { useEffect, useRef, useState } from 'react';
import type { LineView } from '../../api/client';
import { get, set, useView } from '../../state';
import { Hint } from '../../widgets/Hint';
import { useFrame } from '../../widgets/useFrame';
import * as player from '../player';
import { useVoice } from '../voice';
import { clampView, zoomed } from './axis';
import { colours } from './draw/paint';
import { sized } from './draw/sized';
import css from './Overview.module.css';

/** Pixels at the handle's ends that zoom. */
const EDGE = 7;

/** A time as a share of the line's width. */
const share = (time: number, duration: number) => `${(100 * time) / Math.max(duration, 1e-3)}%`;

/** The whole line, small, with a handle on what the staves show: dragged it scrolls, its ends zoom. */
export function Overview({ line }: { line: LineView }) {
  const host = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const mark = useRef<HTMLElement>(null);
  const handle = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(0);
  const [theme, setTheme] = useState(0);
  const loop = useView((s) => s.loop);
  const voice = useVoice(line).data;
  const { duration } = line.summary;
  const held = useRef<{
    what: 'move' | 'from' | 'to';
    x: number;
    view: { start: number; end: number };
  } | null>(null);

  useEffect(() => {
    const element = host.current;
    if (!element) return;
    const observer = new ResizeObserver(() => setWidth(element.clientWidth));
    observer.observe(element);
    const themed = new MutationObserver(() => requestAnimationFrame(() => setTheme((n) => n + 1)));
    themed.observe(document.documentElement, { attributeFilter: ['data-mantine-color-scheme'] });
    return () => {
      observer.disconnect();
      themed.disconnect();
    };
  }, []);
  useEffect(() => {
    const c = canvas.current?.getContext('2d');
    if (!canvas.current || !c || !voice || width === 0) return;
    const high = 26;
    sized(canvas.current, c, width, high);
    c.fillStyle = colours().voice;
    const perPixel = voice.peaks.length / width;
    const peaks = voice.peaks as [number, number][];
    const most = (from: number, to: number) => {
      let top = 0;
      for (let i = from; i < to; i++) top = Math.max(top, peaks[i]?.[1] ?? 0, -(peaks[i]?.[0] ?? 0));
      return top;
    };
    const loudest = Math.max(0.05, most(0, peaks.length));
    for (let x = 0; x < width; x += 2) {
      const size = Math.max(
        1,
        (most(Math.floor(x * perPixel), Math.ceil((x + 2) * perPixel)) / loudest) * high * 0.86,
      );
      c.fillRect(x, (high - size) / 2, 1.2, size);
    }
  }, [voice, width, theme]);
  useFrame(() => {
    const left = share(player.now(), duration);
    if (mark.current && mark.current.style.left !== left) mark.current.style.left = left;
  });

  // The handle follows without React, as it moves with every picture of a scroll.
  useEffect(() => {
    const follow = () => {
      const element = handle.current;
      if (!element) return;
      const { start, end } = get().view;
      element.style.left = share(start, duration);
      element.style.width = share(end - start, duration);
      element.setAttribute('aria-valuenow', start.toFixed(2));
      element.setAttribute(
        'aria-valuetext',
        `${start.toFixed(1)} to ${end.toFixed(1)} of ${duration.toFixed(1)} seconds`,
      );
    };
    follow();
    return useView.subscribe((now, before) => {
      if (now.view !== before.view) follow();
    });
  }, [duration]);

  const timeOf = (event: React.PointerEvent) => {
    const rect = host.current?.getBoundingClientRect();
    return rect ? ((event.clientX - rect.left) / rect.width) * duration : 0;
  };
  return (
    <div
      className={css.overview}
      ref={host}
      data-testid="overview"
      onPointerDown={(event) => {
        if (event.button !== 0) return;
        event.currentTarget.setPointerCapture(event.pointerId);
        const time = timeOf(event);
        const rect = host.current?.getBoundingClientRect();
        const x = event.clientX - (rect?.left ?? 0);
        const at = (t: number) => (t / duration) * (rect?.width ?? 1);
        let { view } = get();
        const length = view.end - view.start;
        let what: 'move' | 'from' | 'to' = 'move';
        if (Math.abs(x - at(view.start)) < EDGE) what = 'from';
        else if (Math.abs(x - at(view.end)) < EDGE) what = 'to';
        else if (time < view.start || time > view.end) {
          // A press beside the handle brings it there.
          view = clampView({ start: time - length / 2, end: time + length / 2 }, duration);
          set({ view });
        }
        held.current = { what, x: time, view };
      }}
      onPointerMove={(event) => {
        const now = held.current;
        if (!now) return;
        const by = timeOf(event) - now.x;
        const { start, end } = now.view;
        const least = Math.min(0.25, duration);
        if (now.what === 'move') set({ view: clampView({ start: start + by, end: end + by }, duration) });
        else if (now.what === 'from')
          set({ view: { start: Math.max(0, Math.min(start + by, end - least)), end } });
        else set({ view: { start, end: Math.min(duration, Math.max(end + by, start + least)) } });
      }}
      onLostPointerCapture={() => {
        held.current = null;
      }}
    >
      <canvas ref={canvas} className={css.canvas} aria-hidden />
      {loop && (
        <i
          className={css.loop}
          style={{ left: share(loop.start, duration), width: share(loop.end - loop.start, duration) }}
        />
      )}
      <Hint says="What the staves show: drag it to scroll, its ends to zoom">
        <div
          className={css.handle}
          role="slider"
          tabIndex={0}
          data-passing
          aria-label="What the staves show"
          aria-valuemin={0}
          aria-valuemax={Math.round(duration * 100) / 100}
          aria-valuenow={0}
          ref={handle}
          onKeyDown={(event) => {
            const { view } = get();
            const length = view.end - view.start;
            const by = { ArrowLeft: -0.2, ArrowRight: 0.2 }[event.key];
            const factor = { ArrowUp: 0.8, ArrowDown: 1.25 }[event.key];
            if (by !== undefined)
              set({
                view: clampView({ start: view.start + by * length, end: view.end + by * length }, duration),
              });
            else if (factor !== undefined)
              set({ view: zoomed(view, (view.start + view.end) / 2, factor, duration) });
            else return;
            event.preventDefault();
            event.stopPropagation();
          }}
        />
      </Hint>
      <i className={css.mark} ref={mark} />
    </div>
  );
}
