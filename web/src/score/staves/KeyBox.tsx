import { useRef } from 'react';
import type { LineView } from '../../api/client';
import { gestureOf } from '../../api/act';
import type { ChosenKey } from '../../state';
import { scaleChosen, startScale } from '../hand';
import { Hint } from '../../widgets/Hint';
import { type Axis, GUTTER, toTime } from './axis';
import { type Listing, type Scale, isChosen, shownKeys, toShare, toY } from './curves';
import css from './OpenStave.module.css';

/** Air between the keys and their box, pixels. */
const AIR = 10;

type Side = 'left' | 'right' | 'top' | 'bottom';

/** A box around the chosen keys: its sides scale them in time and in value, from the other side. */
export function KeyBox({
  line,
  axis,
  scale,
  all,
  keys,
}: {
  line: LineView;
  axis: Axis;
  scale: Scale;
  all: Listing[];
  keys: ChosenKey[];
}) {
  const held = useRef<{
    side: Side;
    from: ReturnType<typeof startScale>;
    gesture: string;
    low: number;
    high: number;
    bottom: number;
    top: number;
  } | null>(null);
  const own = shownKeys(line, axis, scale, all).filter((k) => isChosen(keys, k));
  if (own.length < 2) return null;
  const [left, right] = [Math.min(...own.map((k) => k.x)), Math.max(...own.map((k) => k.x))];
  const [top, bottom] = [Math.min(...own.map((k) => k.y)), Math.max(...own.map((k) => k.y))];
  const at = (event: React.PointerEvent) => {
    const rect = event.currentTarget.parentElement?.parentElement?.getBoundingClientRect();
    return {
      time: toTime(axis, event.clientX - (rect?.left ?? 0) + GUTTER),
      share: toShare(scale, event.clientY - (rect?.top ?? 0) + scale.stave.top),
    };
  };
  const handle = (side: Side, title: string, style: React.CSSProperties) => (
    <Hint key={side} says={title}>
      <button
        className={css.handle}
        data-side={side}
        data-testid={`scale-${side}`}
        aria-label={title}
        style={style}
        onPointerDown={(event) => {
          event.stopPropagation();
          if (event.button !== 0) return;
          event.currentTarget.setPointerCapture(event.pointerId);
          held.current = {
            side,
            from: startScale(),
            gesture: gestureOf('scale', false),
            low: toTime(axis, left),
            high: toTime(axis, right),
            bottom: toShare(scale, bottom),
            top: toShare(scale, top),
          };
        }}
        onPointerMove={(event) => {
          const now = held.current;
          if (!now) return;
          event.stopPropagation();
          const { time, share } = at(event);
          const ratio = (to: number, fixed: number, was: number) =>
            Math.abs(was - fixed) < 1e-6 ? 1 : (to - fixed) / (was - fixed);
          const { low, high, bottom, top } = now;
          const by = {
            left: () => ({ time: ratio(time, high, low), about: high }),
            right: () => ({ time: ratio(time, low, high), about: low }),
            top: () => ({ value: ratio(share, bottom, top), level: bottom }),
            bottom: () => ({ value: ratio(share, top, bottom), level: top }),
          }[now.side]();
          scaleChosen(now.from, by, all, now.gesture);
        }}
        onPointerUp={(event) => event.stopPropagation()}
        onLostPointerCapture={() => {
          held.current = null;
        }}
      />
    </Hint>
  );
  const [x, y, w, h] = [
    left - GUTTER - AIR,
    top - scale.stave.top - AIR,
    right - left + 2 * AIR,
    bottom - top + 2 * AIR,
  ];
  const flat = toY(scale, 0) === toY(scale, 1) || bottom - top < 1;
  return (
    <div className={css.around} style={{ left: x, top: y, width: w, height: h }} data-testid="key-box">
      {handle('left', 'Scale in time from the right', { left: -5, top: h / 2 - 9 })}
      {handle('right', 'Scale in time from the left', { right: -5, top: h / 2 - 9 })}
      {!flat && handle('top', 'Scale in value from below', { top: -5, left: w / 2 - 9 })}
      {!flat && handle('bottom', 'Scale in value from above', { bottom: -5, left: w / 2 - 9 })}
    </div>
  );
}
