import { Modal } from '@mantine/core';
import { useState } from 'react';
import { act, answered } from '../api/act';
import { type LineView, type Listen, api } from '../api/client';
import { Recorder } from '../lines/Recorder';
import { get } from '../state';

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
    <div className="listen">
      {line.takes.length > 1 && (
        <label>
          take
          <select
            className="field small"
            data-testid="take"
            value={listen.take ?? ''}
            onChange={(e) =>
              change({ take: e.target.value ? Number(e.target.value) : null, channel: null, only: null })
            }
          >
            {line.takes.map((take) => (
              <option key={take.id ?? 0} value={take.id ?? ''}>
                {take.name}, {take.duration.toFixed(1)} s
              </option>
            ))}
          </select>
        </label>
      )}
      {channels > 1 && (
        <label>
          channel
          <select
            className="field small"
            data-testid="channel"
            value={listen.channel ?? ''}
            onChange={(e) => change({ channel: e.target.value ? Number(e.target.value) : null })}
          >
            <option value="">mix of all</option>
            {Array.from({ length: channels }, (_, i) => (
              <option key={i} value={i}>
                {i + 1}
              </option>
            ))}
          </select>
        </label>
      )}
      <span className="soft">
        {listen.only ? `only ${from.toFixed(2)}–${to.toFixed(2)} s` : 'all of it'}:{' '}
        <button
          className="link"
          title="What lies before the playhead is not listened to; nothing is cut"
          onClick={() => only(get().time, to)}
        >
          from here
        </button>
        ,{' '}
        <button
          className="link"
          title="What lies after the playhead is not listened to; nothing is cut"
          onClick={() => only(from, get().time)}
        >
          to here
        </button>
        {listen.only && (
          <>
            ,{' '}
            <button className="link" onClick={() => change({ only: null })}>
              all again
            </button>
          </>
        )}
      </span>
      <button className="link" data-testid="record-take" onClick={() => setRecording(true)}>
        Record a take …
      </button>
      <Modal opened={recording} onClose={() => setRecording(false)} title="Record a take" size={560} centered>
        {recording && (
          <Recorder
            text={line.document.text}
            use="Use it"
            first={line.takes.length + 1}
            onUse={(take) => {
              void answered(api.addTake(id, take.file)).then((kept) => kept && setRecording(false));
            }}
          />
        )}
      </Modal>
    </div>
  );
}
