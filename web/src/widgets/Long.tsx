import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useRef } from 'react';
import css from './Long.module.css';

interface Props<T> {
  rows: T[];
  /** Of a row, pixels. */
  height: number;
  label: string;
  role: 'listbox' | 'group';
  testId?: string;
  /** The place of the row that is to be in view. */
  at?: number;
  onKeyDown?: React.KeyboardEventHandler<HTMLDivElement>;
  /** Several can be chosen. */
  several?: boolean;
  className?: string;
  children: (row: T, place: number, style: React.CSSProperties) => React.ReactNode;
  /** What stands there instead of rows. */
  empty?: React.ReactNode;
}

/** Rows that are drawn beside those that are seen, so that scrolling shows no gap. */
const BESIDE = 20;

/** A list of any length: only what is seen of it is drawn. Rows lie where `style` says. */
export function Long<T>(props: Props<T>) {
  const { rows, height, label, role, testId, at, onKeyDown, several, className, children, empty } = props;
  const box = useRef<HTMLDivElement>(null);
  // eslint-disable-next-line react-hooks/incompatible-library -- nothing here is memoized by hand or by a compiler
  const seen = useVirtualizer({
    count: rows.length,
    getScrollElement: () => box.current,
    estimateSize: () => height,
    overscan: BESIDE,
  });
  const { scrollToIndex } = seen;
  useEffect(() => {
    if (at !== undefined && at >= 0) scrollToIndex(at);
  }, [at, scrollToIndex]);
  return (
    <div
      className={`${css.box} ${className ?? ''}`}
      ref={box}
      role={role}
      aria-label={label}
      aria-multiselectable={several}
      data-testid={testId}
      tabIndex={role === 'group' ? 0 : undefined}
      onKeyDown={onKeyDown}
    >
      <div className={css.inside} style={{ height: seen.getTotalSize() }} role="presentation">
        {seen.getVirtualItems().map((item) => {
          const row = rows[item.index];
          return row === undefined
            ? null
            : children(row, item.index, { position: 'absolute', left: 0, right: 0, top: item.start, height });
        })}
      </div>
      {rows.length === 0 && empty}
    </div>
  );
}
