import { SegmentedControl } from '@mantine/core';

interface Props<T extends string> {
  label: string;
  /** None, where what is chosen differs. */
  value: T | null;
  options: readonly (readonly [T, string])[];
  onChange: (value: T) => void;
  testId?: string;
  wide?: boolean;
}

/** One of a few, all of them seen. */
export function Choice<T extends string>({ label, value, options, onChange, testId, wide }: Props<T>) {
  return (
    <SegmentedControl
      aria-label={label}
      data-testid={testId}
      fullWidth={wide}
      value={value ?? ''}
      data={options.map(([value, label]) => ({ value, label }))}
      onChange={(next) => onChange(next as T)}
    />
  );
}
