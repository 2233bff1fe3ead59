import { Menu, Modal } from '@mantine/core';
import { useState } from 'react';
import { act, answered } from '../../api/act';
import { type LineView, type Listen, api } from '../../api/client';
import { Recorder } from '../../lines/Recorder';
import { get } from '../../state';
import { Pick } from '../../widgets/Pick';
import { produce } from '../../api/production';
import { Press } from '../../widgets/Press';
import { TextField } from '../../widgets/TextField';
import css from './bench.module.css';

/** Which of the line's sound is listened to: the take, the channel, the stretch. */
export function ListenPart({ line }: { line: LineView }) {
  const { id, channels, duration } = line.summary;
  const listen: Listen = line.document.listen;
  const [recording, setRecording] = useState(false);
  const change = (what: Partial<Listen>) => {
    void act(id, { do: 'listen', listen: { ...listen, ...what } });
  };
  const from = listen.only?.start ?? 0;
  const to = listen.only?.end ?? duration;
  const only = (start: number, end: number) => {
    const whole = start <= 0 && end >= duration;
    change({ only: whole ? null : { start: Math.max(start, 0), end: Math.min(end, duration) } });
  };
  return (
    <>
      {line.takes.length > 1 && (
        <div className={css.row}>
          <Pick
            labelled
            label="take"
            testId="take"
            value={`${listen.take ?? ''}`}
            options={line.takes.map(
              (take) => [`${take.id ?? ''}`, `${take.name}, ${take.duration.toFixed(1)} s`] as const,
            )}
            onChange={(take) => change({ take: take ? Number(take) : null, channel: null, only: null })}
          />
          <TakeMenu line={line} />
        </div>
      )}
      {channels > 1 && (
        <Pick
          labelled
          label="channel"
          testId="channel"
          value={`${listen.channel ?? ''}`}
          options={[
            ['', 'mix of all'],
            ...Array.from({ length: channels }, (_, i) => [`${i}`, `${i + 1}`] as [string, string]),
          ]}
          onChange={(channel) => change({ channel: channel ? Number(channel) : null })}
        />
      )}
      <div className={css.row}>
        <span className="soft small">
          {listen.only ? `${from.toFixed(2)}–${to.toFixed(2)} s` : 'all of it'}
        </span>
        <Press
          kind="link"
          hint="What lies before the playhead is not listened to; nothing is cut"
          onClick={() => only(get().time, to)}
        >
          from here
        </Press>
        <Press
          kind="link"
          hint="What lies after the playhead is not listened to; nothing is cut"
          onClick={() => only(from, get().time)}
        >
          to here
        </Press>
        {listen.only && (
          <Press kind="link" onClick={() => change({ only: null })}>
            all again
          </Press>
        )}
      </div>
      <div className={css.row}>
        <Press testId="record-take" onClick={() => setRecording(true)}>
          Record a take …
        </Press>
      </div>
      {/* Beside the stage: the face that speaks along is seen. */}
      <Modal
        opened={recording}
        onClose={() => setRecording(false)}
        title="Record a take"
        size={560}
        withOverlay={false}
        centered={false}
        styles={{ inner: { justifyContent: 'flex-end' }, content: { border: '1px solid var(--rule)' } }}
      >
        {recording && (
          <Recorder
            text={line.document.text}
            use="Use it"
            along={line.document.character === null ? undefined : id}
            earlier={line.takes.map((t) => ({
              name: t.name,
              address: `/api/lines/${id}/takes/${t.id ?? 0}/sound`,
            }))}
            onUse={(take) => {
              void answered(api.addTake(id, take.file, take.heard)).then(
                (kept) => kept && setRecording(false),
              );
            }}
          />
        )}
      </Modal>
    </>
  );
}

/** What is done with takes as such: each renamed or deleted; the recording that the line came with stays. */
function TakeMenu({ line }: { line: LineView }) {
  const [renaming, setRenaming] = useState<number | null>(null);
  const { id } = line.summary;
  const own = line.takes.filter((t) => t.id != null);
  return (
    <Menu width={260} position="bottom-end" closeOnItemClick={false}>
      <Menu.Target>
        <Press kind="quiet" aria-label="Takes: rename or delete" testId="takes">
          …
        </Press>
      </Menu.Target>
      <Menu.Dropdown>
        {own.map((t) => (
          <div key={t.id}>
            <Menu.Label>{t.name}</Menu.Label>
            {renaming === t.id ? (
              <div style={{ padding: '0 10px 6px' }}>
                <TextField
                  label="Name of the take"
                  value={t.name}
                  autoFocus
                  onSubmit={(name) => {
                    setRenaming(null);
                    if (t.id != null) void produce({ do: 'rename_take', line: id, take: t.id, name });
                  }}
                />
              </div>
            ) : (
              <Menu.Item onClick={() => setRenaming(t.id ?? null)}>Rename …</Menu.Item>
            )}
            <Menu.Item
              disabled={t.chosen}
              onClick={() => t.id != null && void produce({ do: 'delete_take', line: id, take: t.id })}
            >
              {t.chosen ? 'Listened to: choose another to delete it' : 'Delete'}
            </Menu.Item>
          </div>
        ))}
      </Menu.Dropdown>
    </Menu>
  );
}
