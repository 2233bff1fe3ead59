import { Autocomplete } from '@mantine/core';
import { useState } from 'react';

/** Frame rates that are asked for most; any other can be typed. */
const RATES = ['12', '15', '23.976', '24', '25', '29.97', '30', '48', '50', '59.94', '60', '120'];

/** A frame rate, typed or chosen; taken with Enter or when left. */
export function RateField({ value, onChange }: { value: string; onChange: (rate: string) => void }) {
  const [typed, setTyped] = useState<string | null>(null);
  const take = (rate: string) => {
    setTyped(null);
    if (rate.trim() && rate.trim() !== value) onChange(rate.trim());
  };
  return (
    <label style={{ display: 'inline-flex', gap: 6, alignItems: 'center' }} className="soft small">
      frames a second
      <Autocomplete
        aria-label="Frames a second"
        data-testid="rate"
        size="xs"
        w={96}
        // All of them are offered, whatever stands in the field.
        filter={({ options }) => options}
        data={RATES}
        value={typed ?? value}
        onChange={setTyped}
        onOptionSubmit={take}
        onBlur={() => typed !== null && take(typed)}
        onKeyDown={(event) => {
          if (event.key === 'Enter' && typed !== null) take(typed);
          if (event.key === 'Escape') setTyped(null);
        }}
      />
    </label>
  );
}
