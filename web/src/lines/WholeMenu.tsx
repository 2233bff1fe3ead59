import { Menu } from '@mantine/core';
import { useRef } from 'react';
import { api, queries } from '../api/client';
import { Press } from '../widgets/Press';
import { say, tell } from '../widgets/tell';
import { count } from '../widgets/words';

/** Brings a production's or a character's own file in. */
export async function bringWhole(file: File) {
  try {
    const came = await api.bringIn(file);
    await queries.invalidateQueries();
    say(`In came ${count(came.lines, 'line')} and ${count(came.characters, 'character')}.`);
  } catch (error) {
    tell(error);
  }
}

/** The whole production as one file, out and in. */
export function WholeMenu() {
  const chooser = useRef<HTMLInputElement>(null);
  return (
    <>
      <input
        ref={chooser}
        type="file"
        accept=".zip"
        hidden
        data-testid="bring-in"
        onChange={(event) => {
          const file = event.currentTarget.files?.[0];
          if (file) void bringWhole(file);
          event.currentTarget.value = '';
        }}
      />
      <Menu width={290} position="bottom-end">
        <Menu.Target>
          <Press testId="as-one-file">As one file</Press>
        </Menu.Target>
        <Menu.Dropdown>
          <Menu.Item component="a" href="/api/production/file" download>
            Take the production out
          </Menu.Item>
          <Menu.Item onClick={() => chooser.current?.click()}>Bring one in, or a character</Menu.Item>
          <Menu.Label>Lines, takes, characters, words, recipes and all steps. What is here stays.</Menu.Label>
        </Menu.Dropdown>
      </Menu>
    </>
  );
}
