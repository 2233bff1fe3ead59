import { Menu } from '@mantine/core';
import { give } from '../commands';
import { type CommandId, entryOf } from '../keys';
import { Key } from './Key';

interface Props {
  gives: CommandId;
  /** Done before it. */
  before?: () => void;
  disabled?: boolean;
  children?: React.ReactNode;
}

/** A command in a menu, with its key. */
export function ActionItem({ gives, before, disabled, children }: Props) {
  return (
    <Menu.Item
      disabled={disabled}
      rightSection={<Key of={gives} />}
      onClick={() => {
        before?.();
        give(gives);
      }}
    >
      {children ?? entryOf(gives).name}
    </Menu.Item>
  );
}
