import { TextInput, type TextInputProps } from '@mantine/core';
import { useState } from 'react';

interface Props extends Omit<TextInputProps, 'onChange' | 'value' | 'onSubmit' | 'label' | 'children'> {
  label: string;
  value?: string;
  testId?: string;
  /** With what was typed, trimmed; what is empty is not sent. */
  onSubmit: (text: string) => void;
  /** A button behind it. */
  children?: (text: string) => React.ReactNode;
}

/** A line of text that is sent with Enter or its button, and put back with Escape. */
export function TextField({ label, value = '', testId, onSubmit, children, ...rest }: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  const text = typed ?? value;
  return (
    <form
      style={{ display: 'flex', gap: 6, flex: 1, minWidth: 0 }}
      onSubmit={(event) => {
        event.preventDefault();
        setTyped(null);
        if (text.trim()) onSubmit(text.trim());
      }}
    >
      <TextInput
        aria-label={label}
        data-testid={testId}
        style={{ flex: 1, minWidth: 60 }}
        value={text}
        onChange={(event) => setTyped(event.currentTarget.value)}
        onKeyDown={(event) => {
          if (event.key === 'Escape') setTyped(null);
        }}
        {...rest}
      />
      {children?.(text)}
    </form>
  );
}
