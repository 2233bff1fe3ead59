import { FileButton, Menu } from '@mantine/core';
import { Dropzone } from '@mantine/dropzone';
import { useState } from 'react';
import { type CastMember, api, queries, sentence, tell } from '../api/client';
import { openMember } from '../state';
import { importWiring, rewire } from './edit';
import { characterName } from './files';
import { usePicture } from './pictures';

/** Brings a character in and opens it. */
export async function bringIn(files: File[]) {
  const { member } = await api.addCharacter(characterName(files), files);
  await queries.invalidateQueries({ queryKey: ['cast'] });
  openMember(member.id);
}

function kind(member: CastMember): string {
  const { outputs, chart } = member.wiring;
  const shapes = outputs.filter((o) => o.target.kind === 'morph').length;
  const joints = new Set(outputs.flatMap((o) => (o.target.kind === 'morph' ? [] : [o.target.node])));
  const parts = [];
  if (chart) parts.push(`${chart.drawings.length} mouths, stepped`);
  if (shapes > 0) parts.push(`${shapes} shapes`);
  if (joints.size > 0) parts.push(joints.size === 1 ? '1 joint' : `${joints.size} joints`);
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
      <h1>Cast</h1>
      <div role="listbox" aria-label="Characters" className="member-list">
        {cast.map((member) => (
          <div key={member.id} className="member" data-open={member.id === open || undefined}>
            <button
              role="option"
              className="who"
              aria-selected={member.id === open}
              data-testid={`member-${member.id}`}
              onClick={() => openMember(member.id)}
            >
              <Tile member={member} />
              <span>
                <b>{member.name}</b>
                <span className="soft">{kind(member)}</span>
              </span>
            </button>
            {member.id === open && <More member={member} />}
          </div>
        ))}
      </div>
      <Dropzone
        onDrop={(files) => void add(files)}
        loading={busy}
        className="drop"
        inputProps={{ 'aria-label': 'Character files' }}
      >
        Drop a character here: GLB, glTF with its files, or a zip
      </Dropzone>
      {problem && (
        <div className="problem" role="alert">
          {problem}
        </div>
      )}
    </>
  );
}

/** What else can be done with a character. */
function More({ member }: { member: CastMember }) {
  const duplicate = () => {
    void (async () => {
      try {
        const answer = await api.duplicate(member.id, `${member.name} again`.slice(0, 60));
        await queries.invalidateQueries({ queryKey: ['cast'] });
        openMember(answer.member.id);
      } catch (error) {
        tell(error);
      }
    })();
  };
  const read = (file: File | null) => {
    if (file) void importWiring(member.id, file);
  };
  return (
    <Menu position="bottom-start" width={230}>
      <Menu.Target>
        <button className="quiet more" aria-label={`More for ${member.name}`}>
          …
        </button>
      </Menu.Target>
      <Menu.Dropdown>
        <Menu.Item onClick={() => void rewire(member.id, { do: 'propose' })}>Propose by name again</Menu.Item>
        <Menu.Item component="a" href={`/api/cast/${member.id}/wiring`} download>
          Export the wiring
        </Menu.Item>
        <FileButton onChange={read} accept=".json">
          {(props) => (
            <Menu.Item closeMenuOnClick={false} {...props}>
              Import a wiring …
            </Menu.Item>
          )}
        </FileButton>
        <Menu.Item onClick={duplicate}>Duplicate</Menu.Item>
      </Menu.Dropdown>
    </Menu>
  );
}

/** The character's picture, once it was on the stage; before that its letter. */
function Tile({ member }: { member: CastMember }) {
  const picture = usePicture(member.model);
  if (picture) return <span className="tile" style={{ backgroundImage: `url(${picture})` }} />;
  return <span className="tile">{member.name.replace(/^the /i, '').slice(0, 1).toUpperCase()}</span>;
}
