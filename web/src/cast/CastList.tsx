import { FileButton, Menu } from '@mantine/core';
import { Dropzone } from '@mantine/dropzone';
import { useState } from 'react';
import { type CastMember, api, queries, sentence } from '../api/client';
import { produce } from '../api/production';
import { openMember } from '../state';
import { Press } from '../widgets/Press';
import { Problem } from '../widgets/Problem';
import { TextField } from '../widgets/TextField';
import { tell } from '../widgets/tell';
import { bringIn } from './bringIn';
import css from './CastList.module.css';
import { importWiring, rewire } from './edit';
import { usePicture } from './pictures';

const count = (n: number, one: string) => `${n} ${n === 1 ? one : `${one}s`}`;

function kind(member: CastMember): string {
  const { outputs, chart } = member.wiring;
  const shapes = outputs.filter((o) => o.target.kind === 'morph').length;
  const joints = new Set(outputs.flatMap((o) => (o.target.kind === 'morph' ? [] : [o.target.node])));
  const parts = [];
  if (chart) parts.push(`${count(chart.drawings.length, 'mouth')}, stepped`);
  if (shapes > 0) parts.push(count(shapes, 'shape'));
  if (joints.size > 0) parts.push(count(joints.size, 'joint'));
  return parts.join(' · ') || 'nothing wired yet';
}

export function CastList({ cast, open }: { cast: CastMember[]; open: number | null }) {
  const [problem, setProblem] = useState('');
  const [busy, setBusy] = useState(false);
  const add = async (files: File[]) => {
    if (files.length === 0) return;
    setBusy(true);
    setProblem('');
    try {
      await bringIn(files);
    } catch (error) {
      setProblem(sentence(error));
    } finally {
      setBusy(false);
    }
  };
  return (
    <>
      <h1 className={css.title}>Cast</h1>
      <ul className={css.list} aria-label="Characters">
        {cast.map((member) => (
          <Member key={member.id} member={member} open={member.id === open} />
        ))}
      </ul>
      <Dropzone
        onDrop={(files) => void add(files)}
        loading={busy}
        className={css.drop}
        inputProps={{ 'aria-label': 'Character files' }}
      >
        Drop a character here: GLB, glTF with its files, or a zip
      </Dropzone>
      {problem && <Problem>{problem}</Problem>}
    </>
  );
}

function Member({ member, open }: { member: CastMember; open: boolean }) {
  const [renaming, setRenaming] = useState(false);
  const duplicate = async () => {
    try {
      const answer = await api.duplicate(member.id, `${member.name} again`.slice(0, 60));
      await queries.invalidateQueries({ queryKey: ['cast'] });
      openMember(answer.member.id);
    } catch (error) {
      tell(error);
    }
  };
  const items = (
    <>
      <Menu.Item onClick={() => setRenaming(true)}>Rename …</Menu.Item>
      <Menu.Item onClick={() => void duplicate()}>Duplicate</Menu.Item>
      <Menu.Divider />
      <Menu.Item onClick={() => void rewire(member.id, { do: 'propose' })}>Propose by name again</Menu.Item>
      <Menu.Item component="a" href={`/api/cast/${member.id}/wiring`} download>
        Export the wiring
      </Menu.Item>
      <Menu.Item component="a" href={`/api/cast/${member.id}/file`} download>
        Take it out with model, wiring and poses
      </Menu.Item>
      <FileButton onChange={(file) => file && void importWiring(member.id, file)} accept=".json">
        {(props) => (
          <Menu.Item closeMenuOnClick={false} {...props}>
            Import a wiring …
          </Menu.Item>
        )}
      </FileButton>
      <Menu.Divider />
      <Menu.Item onClick={() => void produce({ do: 'delete_character', id: member.id })}>Delete</Menu.Item>
    </>
  );
  return (
    <li className={css.member} data-open={open || undefined}>
      <Menu width={230} position="bottom-start">
        <Menu.ContextMenu>
          <button
            className={css.who}
            aria-current={open || undefined}
            data-testid={`member-${member.id}`}
            onClick={() => openMember(member.id)}
          >
            <Tile member={member} />
            <span>
              <b>{member.name}</b>
              <span className="soft">{kind(member)}</span>
            </span>
          </button>
        </Menu.ContextMenu>
        <Menu.Dropdown>{items}</Menu.Dropdown>
      </Menu>
      <Menu position="bottom-start" width={230}>
        <Menu.Target>
          <Press kind="quiet" className={css.more} aria-label={`More for ${member.name}`}>
            …
          </Press>
        </Menu.Target>
        <Menu.Dropdown data-testid="menu-character">{items}</Menu.Dropdown>
      </Menu>
      {renaming && (
        <div className={css.rename}>
          <TextField
            label="Name of the character"
            testId="character-name"
            value={member.name}
            maxLength={60}
            autoFocus
            onSubmit={(name) => {
              setRenaming(false);
              if (name !== member.name) void produce({ do: 'rename_character', id: member.id, name });
            }}
          >
            {() => <Press type="submit">Rename</Press>}
          </TextField>
        </div>
      )}
    </li>
  );
}

/** The character's picture, once it was on the stage; before that its letter. */
function Tile({ member }: { member: CastMember }) {
  const picture = usePicture(member.model);
  if (picture) return <span className={css.tile} style={{ backgroundImage: `url(${picture})` }} />;
  return <span className={css.tile}>{member.name.replace(/^the /i, '').slice(0, 1).toUpperCase()}</span>;
}
