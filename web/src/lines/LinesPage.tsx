import { Menu, TextInput } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { Suspense, lazy, useEffect, useRef, useState } from 'react';
import { fetchLine } from '../api/act';
import { type LineSummary, api, queries, speaks } from '../api/client';
import { want } from '../api/live';
import { give } from '../commands';
import * as player from '../score/player';
import { rateName } from '../score/time';
import { go, set, useView } from '../state';
import { ActionItem } from '../widgets/ActionItem';
import { Asked } from '../widgets/Asked';
import { Hint } from '../widgets/Hint';
import { Press } from '../widgets/Press';
import { Problem } from '../widgets/Problem';
import { tell } from '../widgets/tell';
import { count } from '../widgets/words';
import { Welcome } from './Welcome';
import { WholeMenu } from './WholeMenu';
import css from './LinesPage.module.css';
import { LineStatus } from './LineStatus';
import { intoScene, newScene } from '../scene/actions';
import { deleteLine, duplicateLine, moveLine, nameLine, orderLines } from './lineActions';
import { Wave } from './Wave';

// The list does not wait for the renderer.
const SpeakingStage = lazy(() =>
  import('../score/SpeakingStage').then((m) => ({ default: m.SpeakingStage })),
);

const seconds = (value: number) => `${value.toFixed(1)} s`;

export function LinesPage() {
  const all = useQuery({ queryKey: ['lines'], queryFn: api.lines });
  return (
    <main className={css.page}>
      <Asked query={all}>
        {(all) => (
          <>
            <List all={all} />
            <Side all={all} />
          </>
        )}
      </Asked>
    </main>
  );
}

function List({ all }: { all: LineSummary[] }) {
  const chosen = useView((s) => s.line);
  const [search, setSearch] = useState('');
  const shown = all.filter((l) =>
    `${l.name ?? ''} ${l.text} ${l.character ?? ''}`.toLowerCase().includes(search.toLowerCase()),
  );
  const total = all.reduce((sum, l) => sum + l.duration, 0);
  const timed = all.filter(speaks).length;
  const walk = (event: React.KeyboardEvent) => {
    const here = shown.findIndex((l) => l.id === chosen);
    const to = { ArrowUp: here - 1, ArrowDown: here + 1, Home: 0, End: shown.length - 1 }[event.key];
    const next = to === undefined ? undefined : shown[Math.max(0, Math.min(shown.length - 1, to))];
    if (event.key === 'Enter' && chosen !== null) go('score', chosen);
    else if (next) {
      set({ line: next.id });
      event.currentTarget.querySelector<HTMLElement>(`[data-line="${next.id}"]`)?.focus();
    } else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <section className={css.list}>
      <div className={css.head}>
        <h1>Lines</h1>
        <span className="soft">
          {count(all.length, 'line')} · {seconds(total)} · {timed} timed
        </span>
        <span className={css.actions}>
          <WholeMenu />
          <Press gives="wordList" cap onClick={() => set({ wordList: true })}>
            Word list
          </Press>
          <Press kind="main" gives="addLine" cap onClick={() => set({ adding: [] })}>
            Add a line
          </Press>
        </span>
      </div>
      {all.length === 0 ? (
        <Welcome />
      ) : (
        <>
          <TextInput
            type="search"
            w={280}
            placeholder="Search text, name or character"
            aria-label="Search text, name or character"
            value={search}
            onChange={(e) => setSearch(e.target.value)}
          />
          <div className={css.table} role="listbox" aria-label="Lines" onKeyDown={walk}>
            {shown.map((l, i) => (
              <Row
                key={l.id}
                line={l}
                all={all}
                chosen={l.id === chosen || (i === 0 && !shown.some((s) => s.id === chosen))}
              />
            ))}
            {shown.length === 0 && <p className={css.none}>No line has that; search for less.</p>}
          </div>
          <button className={css.drop} onClick={() => set({ adding: [] })}>
            Drop a recording here: WAV, FLAC, MP3, Ogg, M4A or AIFF, any rate. Nothing is cut; time zero stays
            where the recording starts.
          </button>
        </>
      )}
    </section>
  );
}

function Row({ line: l, all, chosen }: { line: LineSummary; all: LineSummary[]; chosen: boolean }) {
  const row = useRef<HTMLDivElement>(null);
  const [renaming, setRenaming] = useState(false);
  const [pulled, setPulled] = useState(0);
  const from = useRef<number | null>(null);
  const place = all.findIndex((one) => one.id === l.id);
  const rows = () => Math.round(pulled / Math.max(row.current?.offsetHeight ?? 40, 1));
  return (
    <Menu width={230} position="bottom-start">
      <Menu.ContextMenu>
        <div
          className={css.row}
          ref={row}
          role="option"
          tabIndex={chosen ? 0 : -1}
          aria-selected={chosen}
          data-line={l.id}
          data-testid={`line-${l.id}`}
          data-pulled={pulled !== 0 || undefined}
          style={pulled ? { transform: `translateY(${pulled}px)` } : undefined}
          onClick={() => set({ line: l.id })}
          onContextMenuCapture={() => set({ line: l.id })}
          onDoubleClick={() => go('score', l.id)}
          onKeyDown={(event) => {
            if (event.key === 'F2') setRenaming(true);
          }}
        >
          <Hint says="Drag to put it elsewhere">
            <span
              className={css.grip}
              aria-hidden
              onPointerDown={(event) => {
                event.currentTarget.setPointerCapture(event.pointerId);
                from.current = event.clientY;
              }}
              onPointerMove={(event) => {
                if (from.current !== null) setPulled(event.clientY - from.current);
              }}
              onLostPointerCapture={() => {
                from.current = null;
                const by = rows();
                setPulled(0);
                if (by !== 0) orderLines(all, place, place + by);
              }}
            >
              ⠿
            </span>
          </Hint>
          <span className={css.number}>{l.number}</span>
          <b className={css.who}>{l.character ?? '–'}</b>
          {renaming ? (
            <TextInput
              aria-label="Name of the line"
              data-testid="line-name"
              autoFocus
              defaultValue={l.name ?? ''}
              placeholder="a name of its own, such as PH_012"
              onClick={(event) => event.stopPropagation()}
              // A menu that closes gives the focus back to its row.
              onBlur={(event) => {
                if (row.current?.contains(event.relatedTarget)) event.currentTarget.focus();
                else setRenaming(false);
              }}
              onKeyDown={(event) => {
                event.stopPropagation();
                if (event.key === 'Escape') setRenaming(false);
                if (event.key !== 'Enter') return;
                nameLine(l.id, event.currentTarget.value.trim());
                setRenaming(false);
              }}
            />
          ) : (
            <span className={css.text}>
              {l.name && <em>{l.name} </em>}
              {l.text || <i className="soft">no text yet: {l.recording_name}</i>}
            </span>
          )}
          <Wave wave={l.wave} />
          <span className={css.seconds}>{seconds(l.duration)}</span>
          <LineStatus line={l} />
        </div>
      </Menu.ContextMenu>
      <Menu.Dropdown data-testid="menu-line">
        <Menu.Item onClick={() => go('score', l.id)}>Open the score</Menu.Item>
        <Menu.Item onClick={() => setRenaming(true)} rightSection="F2">
          Rename …
        </Menu.Item>
        <Menu.Item onClick={() => duplicateLine(l.id)}>Duplicate</Menu.Item>
        <Menu.Item disabled={place === 0} onClick={() => moveLine(all, l.id, -1)}>
          Move up
        </Menu.Item>
        <Menu.Item disabled={place === all.length - 1} onClick={() => moveLine(all, l.id, 1)}>
          Move down
        </Menu.Item>
        <Menu.Item onClick={() => void api.analyse(l.id).catch(tell)}>Time again</Menu.Item>
        <Scenes line={l.id} />
        <Menu.Divider />
        <ActionItem gives="delete">Delete</ActionItem>
      </Menu.Dropdown>
    </Menu>
  );
}

/** Scenes that a line can be put into. */
function Scenes({ line }: { line: number }) {
  const scenes = useQuery({ queryKey: ['scenes'], queryFn: api.scenes });
  return (
    <>
      {(scenes.data ?? []).slice(0, 5).map((s) => (
        <Menu.Item key={s.id} onClick={() => void intoScene(s.id, line)}>
          Into the scene {s.name}
        </Menu.Item>
      ))}
      <Menu.Item onClick={() => void newScene(scenes.data ?? [], [line])}>Into a new scene</Menu.Item>
    </>
  );
}

function Side({ all }: { all: LineSummary[] }) {
  const cast = useQuery({ queryKey: ['cast'], queryFn: api.cast });
  const production = useQuery({ queryKey: ['production'], queryFn: api.production });
  const chosen = useView((s) => s.line);
  const playing = useView((s) => s.playing);
  const line = all.find((l) => l.id === chosen);
  const member = cast.data?.find((m) => m.name === line?.character) ?? cast.data?.[0];
  const { id, duration, state } = line ?? {};
  useEffect(() => {
    if (id === undefined || duration === undefined) return;
    queries
      .fetchQuery({ queryKey: ['line', id], queryFn: () => fetchLine(id) })
      .then((l) => player.load(id, l.voice, l.document.listen))
      .catch(tell);
    if (state && speaks({ state })) want(id, duration);
  }, [id, duration, state]);
  // What plays here is heard here.
  useEffect(() => player.stop, []);
  const open = all.filter((l) => !speaks(l));
  const heard = all.filter((l) => l.state === 'heard').length;
  const doubtful = all.filter((l) => l.doubtful_words > 0).length;
  return (
    <aside className={css.side}>
      <div>
        <h2>{production.data?.name}</h2>
        {production.data && (
          <span className="soft">
            {rateName(production.data.grid)} frames a second · first frame {production.data.grid.first}
          </span>
        )}
      </div>
      <div className={css.portrait}>
        {member && (
          <Suspense fallback={null}>
            <SpeakingStage member={member} />
          </Suspense>
        )}
      </div>
      {line && (
        <>
          <h2>
            Line {line.number}
            {line.character ? `, ${line.character}` : ''}
          </h2>
          <div className={css.said}>
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
          {line.problem && <Problem>{line.problem}</Problem>}
          <div className={css.row2}>
            <Press kind="main" gives="openLine" cap onClick={() => go('score', line.id)}>
              Open the score
            </Press>
            <Press gives="play" cap onClick={() => give('play')}>
              {playing ? 'Stop' : 'Play'}
            </Press>
            <Press kind="quiet" onClick={() => deleteLine(line.id)}>
              Delete
            </Press>
          </div>
          <h2>What to do next</h2>
          <div>
            {open.length > 0 && <div>{count(open.length, 'line')} not timed yet</div>}
            {doubtful > 0 && <div>{count(doubtful, 'line')} with doubtful words: listen to those</div>}
            {heard > 0 && <div>{count(heard, 'line')} without a text: type it for better times</div>}
            {open.length === 0 && doubtful === 0 && heard === 0 && (
              <div>Every line speaks. Deliver them.</div>
            )}
          </div>
        </>
      )}
    </aside>
  );
}
