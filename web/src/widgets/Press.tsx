import { Button, type ButtonProps } from '@mantine/core';
import { type CommandId, entryOf, shownKey } from '../keys';
import { Hint } from './Hint';
import { Key, useKeys } from './Key';

const VARIANTS = {
  plain: 'default',
  main: 'filled',
  quiet: 'subtle',
  link: 'transparent',
  chip: 'light',
} as const;

interface Props extends Omit<ButtonProps, 'variant'> {
  kind?: keyof typeof VARIANTS;
  /** What it does, where its words do not say it. */
  hint?: React.ReactNode;
  /** The command that it gives; its key is shown in the hint, or as a cap. */
  gives?: CommandId;
  /** Whether the command's key stands on the button. */
  cap?: boolean;
  /** Of something that is on or off. */
  pressed?: boolean;
  testId?: string;
  type?: 'button' | 'submit';
  form?: string;
  onClick?: React.MouseEventHandler<HTMLButtonElement>;
  'aria-label'?: string;
  ref?: React.Ref<HTMLButtonElement>;
}

/** A button: plain, the main one, a quiet one, a link, or a chip that is on or off. */
export function Press({
  kind = 'plain',
  hint,
  gives,
  cap,
  pressed,
  testId,
  type = 'button',
  ...rest
}: Props) {
  const button = (
    <Button
      variant={VARIANTS[kind]}
      aria-pressed={pressed}
      data-testid={testId}
      type={type}
      rightSection={cap && gives ? <Key of={gives} /> : undefined}
      {...rest}
    />
  );
  if (gives) return <Given id={gives} hint={hint} button={button} />;
  return <Hint says={hint}>{button}</Hint>;
}

function Given({ id, hint, button }: { id: CommandId; hint: React.ReactNode; button: React.ReactElement }) {
  const keys = useKeys(id);
  const says = hint ?? entryOf(id).name;
  return (
    <Hint
      says={
        keys.length > 0 ? (
          <>
            {says} ({keys.map(shownKey).join(' or ')})
          </>
        ) : (
          says
        )
      }
    >
      {button}
    </Hint>
  );
}
