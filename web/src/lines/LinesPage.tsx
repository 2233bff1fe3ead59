import { fetchLine } from '../api/act';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { api, queries, speaks, tell } from '../api/client';
import { want } from '../api/live';
import { LineStatus } from '../components/LineStatus';
import { Wave } from '../components/Wave';
import { SpeakingStage } from '../score/SpeakingStage';
import * as player from '../score/player';
import { rateName } from '../score/time';
import { go, set, useView } from '../state';

const seconds = (value: number) => `${value.toFixed(1)} s`;

export function LinesPage() {
  const lines = useQuery({ queryKey: ['lines'], queryFn: api.lines });
  const cast = useQuery({ queryKey: ['cast'], queryFn: api.cast });
  const production = useQuery({ queryKey: ['production'], queryFn: api.production });
  const chosen = useView((s) => s.line);
  const playing = useView((s) => s.playing);
  const [search, setSearch] = useState('');
  const all = lines.data ?? [];
  const shown = all.filter((l) =>
    `${l.text} ${l.character ?? ''}`.toLowerCase().includes(search.toLowerCase()),
  );
  const line = all.find((l) => l.id === chosen);
  const member = cast.data?.find((m) => m.name === line?.character) ?? cast.data?.[0];
  const total = all.reduce((sum, l) => sum + l.duration, 0);
  const open = all.filter((l) => !speaks(l));
  const heard = all.filter((l) => l.state === 'heard').length;
  const doubtful = all.filter((l) => l.doubtful_words > 0).length;

  const { id, duration, state } = line ?? {};
  useEffect(() => {
    if (id === undefined || duration === undefined) return;
    queries
      .fetchQuery({ queryKey: ['line', id], queryFn: () => fetchLine(id) })
      .then((l) => player.load(id, l.voice, l.document.listen))
      .catch(tell);
    if (state && speaks({ state })) want(id, duration);
  }, [id, duration, state]);

  return (
    <main className="lines">
      <section className="list">
        <div className="head-row">
          <h1>Lines</h1>
          <span className="soft">
            {all.length} lines · {seconds(total)} · {all.length - open.length} timed
          </span>
          <span className="actions">
            <button className="button" onClick={() => set({ wordList: true })}>
              Word list<kbd className="key">W</kbd>
            </button>
            <button className="button main" onClick={() => set({ adding: [] })}>
              Add a line<kbd className="key">A</kbd>
            </button>
          </span>
        </div>
        <input
          className="search"
          type="search"
          placeholder="Search text or character"
          aria-label="Search text or character"
          value={search}
          onChange={(e) => setSearch(e.target.value)}
        />
        <div className="table" role="listbox" aria-label="Lines">
          {shown.map((l) => (
            <button
              key={l.id}
              className="row"
              role="option"
              aria-selected={l.id === chosen}
              data-testid={`line-${l.id}`}
              onClick={() => set({ line: l.id })}
              onDoubleClick={() => go('score', l.id)}
            >
              <span className="num soft">{l.number}</span>
              <b>{l.character ?? '–'}</b>
              <span className="text">
                {l.text || <i className="soft">no text yet: {l.recording_name}</i>}
              </span>
              <Wave wave={l.wave} />
              <span className="num">{seconds(l.duration)}</span>
              <LineStatus line={l} />
            </button>
          ))}
        </div>
        <button className="drop" onClick={() => set({ adding: [] })}>
          Drop a recording here: WAV, FLAC, MP3, Ogg, M4A or AIFF, any rate. Nothing is cut; time zero stays
          where the recording starts.
        </button>
      </section>
      <aside className="side">
        <div>
          <h2>{production.data?.name}</h2>
          {production.data && (
            <span className="soft">
              {rateName(production.data.grid)} frames a second · first frame {production.data.grid.first}
            </span>
          )}
        </div>
        <div className="portrait">{member && <SpeakingStage member={member} />}</div>
        {line && (
          <>
            <h2>
              Line {line.number}
              {line.character ? `, ${line.character}` : ''}
            </h2>
            <div className="serif" style={{ fontSize: 15 }}>
              {line.text || <span className="soft">This line has no text yet.</span>}
            </div>
            <div className="soft">
              {line.recording_name}
              <br />
              {line.duration.toFixed(2)} s · {line.rate / 1000} kHz ·{' '}
              {line.channels === 1 ? 'mono' : `${line.channels} channels`}
              <br />
              frames {line.first_frame}–{line.last_sound_frame}
            </div>
            {line.problem && <div className="problem">{line.problem}</div>}
            <div style={{ display: 'flex', gap: 8 }}>
              <button className="button main" onClick={() => go('score', line.id)}>
                Open the score
              </button>
              <button className="button" onClick={player.toggle}>
                {playing ? 'Stop' : 'Play'}
              </button>
            </div>
            <h2 style={{ marginTop: 8 }}>What to do next</h2>
            <div>
              {open.length > 0 && <div>{open.length} lines are not timed yet</div>}
              {doubtful > 0 && <div>{doubtful} lines have doubtful words: listen to those</div>}
              {heard > 0 && <div>{heard} lines have no text: type it for better times</div>}
              {open.length === 0 && doubtful === 0 && heard === 0 && (
                <div>Every line speaks. Deliver them.</div>
              )}
            </div>
          </>
        )}
      </aside>
    </main>
  );
}
