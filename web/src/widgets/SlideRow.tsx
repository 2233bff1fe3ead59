import { Slider } from '@mantine/core';
import { useEffect, useRef, useState } from 'react';
import { Hint } from './Hint';
import { NumberField } from './NumberField';
import css from './SlideRow.module.css';

interface Props {
  title: string;
  about?: string;
  value: number;
  low?: number;
  high?: number;
  /** How the value is written: in per cent, unless said otherwise. */
  unit?: { factor: number; suffix: string; digits: number };
  /** Where a double click brings it. */
  usual?: number;
  testId?: string;
  /** Whether this is one of the wide ones, whose titles are long. */
  wide?: boolean;
  /** Its title as narrow as its words, in a bar of others. */
  tight?: boolean;
  /** With every move; `goesOn` tells that it is the same drag as before. */
  onChange: (value: number, goesOn: boolean) => void;
}

const PERCENT = { factor: 100, suffix: ' %', digits: 0 };
export const DEGREES = { factor: 1, suffix: '°', digits: 0 };
export const SECONDS = { factor: 1, suffix: ' s', digits: 2 };
export const PLAIN = { factor: 1, suffix: '', digits: 2 };

/** Milliseconds in which the same key pressed again is one step with before. */
const SOON = 1500;

/** Milliseconds after which the line's own value is shown again, whatever was dragged. */
const WAIT = 1500;

/** A slider with its name and its number, which can be typed. Every move is sent; a drag is one step. */
export function SlideRow({
  title,
  about,
  value,
  low = 0,
  high = 1,
  unit = PERCENT,
  usual,
  testId,
  wide,
  tight,
  onChange,
}: Props) {
  const moving = useRef(false);
  /** When it was moved last: keys that follow soon on each other are one step. */
  const moved = useRef(0);
  const [held, setHeld] = useState<{ value: number; from: number } | null>(null);
  // What is dragged is shown until the line itself has another value.
  const now = held && held.from === value ? held.value : value;
  useEffect(() => {
    if (!held) return;
    const timer = setTimeout(() => !moving.current && setHeld(null), WAIT);
    return () => clearTimeout(timer);
  }, [held]);
  const change = (next: number, goesOn: boolean) => {
    setHeld({ value: next, from: value });
    onChange(next, goesOn);
  };
  return (
    <div className={css.row} data-wide={wide || undefined} data-tight={tight || undefined}>
      <Hint says={about}>
        <span className={css.title}>{title}</span>
      </Hint>
      <Slider
        thumbLabel={title}
        thumbProps={{ 'data-testid': testId } as React.ComponentProps<'div'>}
        min={low}
        max={high}
        step={(high - low) / 100}
        value={now}
        startPointValue={low < 0 ? 0 : undefined}
        onPointerDown={() => {
          moved.current = 0;
        }}
        onChange={(next) => {
          change(next, moving.current || Date.now() - moved.current < SOON);
          moving.current = true;
          moved.current = Date.now();
        }}
        onChangeEnd={() => {
          moving.current = false;
        }}
        onDoubleClick={usual === undefined ? undefined : () => change(usual, false)}
      />
      <NumberField
        label={`${title}, number`}
        value={now * unit.factor}
        digits={unit.digits}
        step={((high - low) * unit.factor) / 100}
        suffix={unit.suffix}
        low={low * unit.factor}
        high={high * unit.factor}
        width={50}
        onChange={(typed) => change(typed / unit.factor, false)}
      />
    </div>
  );
}
