import { ActionIcon, Menu } from '@mantine/core';
import {
  IconBulb,
  IconColumns2,
  IconFocusCentered,
  IconMaximize,
  IconMinimize,
  IconLock,
  IconNumber123,
  IconPictureInPicture,
} from '@tabler/icons-react';
import { actsIn, give } from '../commands';
import { type CommandId, entryOf, shownKey } from '../keys';
import { type Corner, remember, useSettings } from '../settings';
import { useView } from '../state';
import { Hint } from '../widgets/Hint';
import { useKeys } from '../widgets/Key';
import css from './StageTools.module.css';

const VIEWS: [CommandId, string][] = [
  ['front', 'front'],
  ['right', 'right ¾'],
  ['left', 'left ¾'],
  ['side', 'side'],
  ['mouth', 'mouth'],
];

const CORNERS: Corner[] = ['bottom right', 'bottom left', 'top right', 'top left'];
const SIZES = [
  ['small', 'Small'],
  ['large', 'Large'],
  ['off', 'Off'],
] as const;

/** The ways to look at the face, on the stage itself. */
export function StageTools() {
  const { two, sideLight, burnIn, closeUp, corner } = useSettings();
  const locked = useView((s) => s.locked);
  const full = useView((s) => s.full);
  const place = useView((s) => s.place);
  const here = (id: CommandId) => actsIn(entryOf(id), place);
  return (
    <div className={css.tools} role="toolbar" aria-label="The stage">
      {VIEWS.filter(([id]) => here(id)).map(([id, name]) => (
        <View key={id} id={id} name={name} />
      ))}
      <span className={css.gap} />
      <Switch id="frame" icon={<IconFocusCentered size={16} />} />
      {here('lock') && <Switch id="lock" on={locked} icon={<IconLock size={16} />} />}
      {here('two') && <Switch id="two" on={two} icon={<IconColumns2 size={16} />} />}
      <Switch id="light" on={sideLight} icon={<IconBulb size={16} />} />
      {here('burnIn') && <Switch id="burnIn" on={burnIn} icon={<IconNumber123 size={16} />} />}
      {here('closeUp') && <CloseUp closeUp={closeUp} corner={corner} />}
      {here('full') && (
        <Switch id="full" on={full} icon={full ? <IconMinimize size={16} /> : <IconMaximize size={16} />} />
      )}
    </div>
  );
}

function CloseUp({ closeUp, corner }: { closeUp: 'small' | 'large' | 'off'; corner: Corner }) {
  return (
    <Menu position="top-end" width={190}>
      <Hint says="The mouth’s close-up">
        <Menu.Target>
          <ActionIcon className={css.icon} variant="transparent" size={24} aria-label="The mouth’s close-up">
            <IconPictureInPicture size={16} />
          </ActionIcon>
        </Menu.Target>
      </Hint>
      <Menu.Dropdown>
        <Menu.Label>The mouth’s close-up</Menu.Label>
        {SIZES.map(([value, name]) => (
          <Menu.Item
            key={value}
            rightSection={closeUp === value ? '✓' : null}
            onClick={() => remember({ closeUp: value })}
          >
            {name}
          </Menu.Item>
        ))}
        <Menu.Divider />
        {CORNERS.map((value) => (
          <Menu.Item
            key={value}
            disabled={closeUp === 'off'}
            rightSection={corner === value ? '✓' : null}
            onClick={() => remember({ corner: value })}
          >
            {value}
          </Menu.Item>
        ))}
      </Menu.Dropdown>
    </Menu>
  );
}

const useSays = (id: CommandId) => {
  const keys = useKeys(id);
  return keys.length > 0 ? `${entryOf(id).name} (${keys.map(shownKey).join(' or ')})` : entryOf(id).name;
};

function View({ id, name }: { id: CommandId; name: string }) {
  return (
    <Hint says={useSays(id)}>
      <button className={css.view} data-testid={`view-${id}`} onClick={() => give(id)}>
        {name}
      </button>
    </Hint>
  );
}

function Switch({ id, on, icon }: { id: CommandId; on?: boolean; icon: React.ReactNode }) {
  const says = useSays(id);
  return (
    <Hint says={says}>
      <ActionIcon
        className={css.icon}
        variant="transparent"
        size={24}
        aria-label={entryOf(id).name}
        aria-pressed={on}
        data-testid={`stage-${id}`}
        onClick={() => give(id)}
      >
        {icon}
      </ActionIcon>
    </Hint>
  );
}
