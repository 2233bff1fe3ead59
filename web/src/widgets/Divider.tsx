import { useRef } from 'react';
import css from './Divider.module.css';

interface Props {
  label: string;
  /** Whether it lies or stands. */
  way: 'lying' | 'standing';
  /** Pixels it was moved by since it was taken hold of. */
  onMove: (by: number) => void;
  onHold: () => void;
  /** Back to the usual size. */
  onReset: () => void;
  /** Where it stands, per cent, for those who do not see it. */
  value: number;
  testId: string;
}

/** A divider between two parts of the page: dragged, moved by arrow keys, reset by a double click. */
export function Divider({ label, way, onMove, onHold, onReset, value, testId }: Props) {
  const from = useRef<number | null>(null);
  const at = (event: React.PointerEvent) => (way === 'lying' ? event.clientY : event.clientX);
  return (
    <div
      className={css.divider}
      role="separator"
      tabIndex={0}
      data-passing
      aria-label={`${label}; drag it, double-click for the usual size`}
      aria-orientation={way === 'lying' ? 'horizontal' : 'vertical'}
      aria-valuenow={Math.round(value)}
      aria-valuemin={0}
      aria-valuemax={100}
      data-way={way}
      data-testid={testId}
      onPointerDown={(event) => {
        if (event.button !== 0) return;
        event.currentTarget.setPointerCapture(event.pointerId);
        from.current = at(event);
        onHold();
      }}
      onPointerMove={(event) => {
        if (from.current !== null) onMove(at(event) - from.current);
      }}
      onLostPointerCapture={() => {
        from.current = null;
      }}
      onDoubleClick={onReset}
      onKeyDown={(event) => {
        const by = { ArrowUp: -16, ArrowLeft: -16, ArrowDown: 16, ArrowRight: 16 }[event.key];
        if (event.key === 'Home') onReset();
        else if (by === undefined) return;
        else {
          onHold();
          onMove(by);
        }
        event.preventDefault();
        event.stopPropagation();
      }}
    />
  );
}
