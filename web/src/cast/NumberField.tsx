import { useState } from 'react';
import { plain } from './words';

interface Props {
  label: string;
  value: number;
  onChange: (value: number) => void;
  testId?: string;
}

/** A number typed in; taken with Enter or when left, put back with Escape. */
export function NumberField({ label, value, onChange, testId }: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  const take = () => {
    const read = Number((typed ?? '').replace('−', '-').replace(',', '.'));
    if (typed !== null && typed.trim() !== '' && Number.isFinite(read) && read !== value) onChange(read);
    setTyped(null);
  };
  return (
    <input
      className="number"
      aria-label={label}
      data-testid={testId}
      inputMode="decimal"
      value={typed ?? plain(value)}
      onChange={(e) => setTyped(e.target.value)}
      onFocus={(e) => e.target.select()}
      onBlur={take}
      onKeyDown={(e) => {
        if (e.key === 'Enter') take();
        if (e.key === 'Escape') setTyped(null);
      }}
    />
  );
}
