import { NumberInput } from '@mantine/core';
import { useState } from 'react';

interface Props {
  label: string;
  /** Whether the label is shown beside the field, not only told. */
  labelled?: boolean;
  value: number;
  onChange: (value: number) => void;
  low?: number;
  high?: number;
  step?: number;
  digits?: number;
  suffix?: string;
  width?: number | string;
  testId?: string;
  disabled?: boolean;
}

/** A number typed in; taken with Enter or when left, put back with Escape; up and down move it by a step. */
export function NumberField({
  label,
  labelled,
  value,
  onChange,
  low,
  high,
  step,
  digits = 3,
  suffix,
  width,
  testId,
  disabled,
}: Props) {
  const round = (v: number) => Math.round(v * 10 ** digits) / 10 ** digits;
  const [typed, setTyped] = useState<string | number | null>(null);
  const take = (from: string | number | null = typed) => {
    setTyped(null);
    if (from === null || from === '') return;
    const read = Number(from);
    if (!Number.isFinite(read)) return;
    const within = Math.min(high ?? Infinity, Math.max(low ?? -Infinity, read));
    if (within !== round(value)) onChange(within);
  };
  const field = (
    <NumberInput
      aria-label={label}
      data-testid={testId}
      value={typed ?? round(value)}
      onChange={setTyped}
      onBlur={() => take()}
      onFocus={(event) => event.target.select()}
      onKeyDown={(event) => {
        if (event.key === 'Enter') take();
        if (event.key === 'Escape') {
          event.stopPropagation();
          setTyped(null);
        }
      }}
      step={step ?? 10 ** -Math.min(digits, 2)}
      decimalScale={digits}
      allowedDecimalSeparators={[',', '.']}
      suffix={suffix}
      w={width ?? 68}
      disabled={disabled}
    />
  );
  if (!labelled) return field;
  return (
    <label style={{ display: 'inline-flex', gap: 6, alignItems: 'center' }} className="soft small">
      {label}
      {field}
    </label>
  );
}
