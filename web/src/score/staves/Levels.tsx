import { useRef, useState } from 'react';
import type { LineView } from '../../api/client';
import type { LayerKey } from '../../state';
import { STEP, arrowOf, taken } from '../arrows';
import { choose } from '../chosen';
import { snapped } from '../hand';
import { change, changeByKey, remove } from '../layers';
import { Hint } from '../../widgets/Hint';
import { GUTTER, type Stave, axisNow, lying, toTime } from './axis';
import css from './LayerStave.module.css';

/** How much of the layer plays over time: a line with handles to be dragged about. */
export function Levels({
  line,
  width,
  stave,
  name,
}: {
  line: LineView;
  width: number;
  stave: Stave;
  name: LayerKey;
}) {
  const [shown, setShown] = useState<{ id: number; at: number; share: number } | null>(null);
  const held = useRef<{ id: number; moved: boolean } | null>(null);
  const host = useRef<HTMLDivElement>(null);
  const levels = line.layers.levels.filter((l) => l.layer === name);
  if (levels.length === 0) return null;
  const now = levels.map((l) => (shown?.id === l.id ? { ...l, ...shown } : l)).sort((a, b) => a.at - b.at);
  const y = (share: number) => stave.height - 4 - share * (stave.height - 8);
  const points = now.flatMap((l, i) => {
    const next = now[i + 1];
    if (!next) return [[l.at, y(l.share)]];
    // As smooth as the way between them is.
    return Array.from({ length: 8 }, (_, k) => {
      const u = k / 8;
      return [l.at + u * (next.at - l.at), y(l.share + (next.share - l.share) * u * u * (3 - 2 * u))];
    });
  });
  const first = points[0]?.[1] ?? 0;
  const last = points[points.length - 1]?.[1] ?? 0;
  const path = [[0, first], ...points, [line.summary.duration, last]];
  return (
    <div className={css.levels} ref={host}>
      <svg width="100%" height="100%" aria-hidden>
        <polyline points={path.map((p) => p.join(',')).join(' ')} />
      </svg>
      {now.map((level) => (
        <Hint key={level.id} says={`${Math.round(level.share * 100)} % of the layer from here`}>
          <button
            className={css.level}
            data-id={level.id}
            data-what="level"
            data-testid={`level-${level.id}`}
            aria-label={`From ${level.at.toFixed(2)} seconds ${Math.round(level.share * 100)} % of the layer; drag it or use the arrow keys, Delete takes it away`}
            style={{ ...lying(level.at), top: y(level.share) }}
            onKeyDown={(event) => {
              const way = arrowOf(event);
              if (event.key === 'Delete') remove([level.id]);
              else if (!way) return;
              else {
                const share = Math.min(1, Math.max(0, level.share + 0.05 * way.up));
                const time = Math.max(0, level.at + STEP * way.right);
                changeByKey({ do: 'change_level', id: level.id, time, share }, `${level.id}`);
              }
              taken(event);
            }}
            onPointerDown={(event) => {
              event.stopPropagation();
              if (event.button !== 0) return;
              held.current = { id: level.id, moved: false };
              choose({ what: 'levels', layer: name, ids: [level.id] });
              event.currentTarget.setPointerCapture(event.pointerId);
            }}
            onPointerMove={(event) => {
              const own = held.current;
              const rect = host.current?.getBoundingClientRect();
              if (!own || !rect) return;
              const at = Math.max(0, snapped(toTime(axisNow(width), event.clientX - rect.left + GUTTER)));
              const up = (rect.top + stave.height - 4 - event.clientY) / (stave.height - 8);
              const share = Math.round(Math.min(1, Math.max(0, up)) * 100) / 100;
              const next = { id: own.id, at, share };
              setShown(next);
              void change({ do: 'change_level', id: own.id, time: at, share }, `${own.id}`, own.moved);
              own.moved = true;
            }}
            onPointerUp={() => {
              held.current = null;
              setShown(null);
            }}
            onLostPointerCapture={() => {
              held.current = null;
              setShown(null);
            }}
          />
        </Hint>
      ))}
    </div>
  );
}
