import { NativeSelect } from '@mantine/core';

interface Props<T extends string> {
  label: string;
  labelled?: boolean;
  value: T;
  options: readonly (readonly [T, string])[];
  onChange: (value: T) => void;
  width?: number | string;
  testId?: string;
  disabled?: boolean;
  ipa?: boolean;
}

/** One of several, from a list. */
export function Pick<T extends string>({
  label,
  labelled,
  value,
  options,
  onChange,
  width,
  testId,
  disabled,
  ipa,
}: Props<T>) {
  const list = (
    <NativeSelect
      aria-label={label}
      data-testid={testId}
      value={value}
      disabled={disabled}
      w={width}
      data={options.map(([value, label]) => ({ value, label }))}
      onChange={(event) => onChange(event.currentTarget.value as T)}
      styles={ipa ? { input: { fontFamily: 'var(--ipa)' } } : undefined}
    />
  );
  if (!labelled) return list;
  return (
    <label
      style={{ display: 'inline-flex', gap: 6, alignItems: 'center', minWidth: 0 }}
      className="soft small"
    >
      {label}
      {list}
    </label>
  );
}
