import { useId } from 'react';
import css from './Roving.module.css';

interface Props {
  label: string;
  testId?: string;
  all: { id: number; says: string }[];
  chosen: number | null;
  onChoose: (id: number) => void;
}

/** A list beside a drawing: it is not seen, but walked with the arrow keys and read out; the drawing shows what is chosen. */
export function Roving({ label, testId, all, chosen, onChoose }: Props) {
  const base = useId();
  const here = all.findIndex((one) => one.id === chosen);
  if (all.length === 0) return null;
  const own = (id: number) => `${base}-${id}`;
  return (
    <div
      className={css.list}
      role="listbox"
      tabIndex={0}
      aria-label={label}
      aria-activedescendant={here >= 0 && chosen !== null ? own(chosen) : undefined}
      data-testid={testId}
      onKeyDown={(event) => {
        if (event.ctrlKey || event.metaKey || event.altKey || event.shiftKey) return;
        const to = {
          ArrowLeft: here - 1,
          ArrowUp: here - 1,
          ArrowRight: here + 1,
          ArrowDown: here + 1,
          Home: 0,
          End: all.length - 1,
        }[event.key];
        if (to === undefined) return;
        event.preventDefault();
        event.stopPropagation();
        const next = all[Math.max(0, Math.min(all.length - 1, to))];
        if (next) onChoose(next.id);
      }}
    >
      {all.map((one) => (
        <div key={one.id} id={own(one.id)} role="option" aria-selected={one.id === chosen}>
          {one.says}
        </div>
      ))}
      <span className={css.shown} aria-hidden>
        {label}: arrow keys
      </span>
    </div>
  );
}
