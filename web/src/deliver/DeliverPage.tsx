import { Checkbox, Menu } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { type Delivery, type Job, type LineSummary, type Production, api, speaks } from '../api/client';
import { produce } from '../api/production';
import { perSecond } from '../score/time';
import { Asked } from '../widgets/Asked';
import { NumberField } from '../widgets/NumberField';
import { Press } from '../widgets/Press';
import { Problem } from '../widgets/Problem';
import { RateField } from '../widgets/RateField';
import { tell } from '../widgets/tell';
import css from './DeliverPage.module.css';

const KINDS = [
  {
    key: 'glb',
    title: 'Animated character',
    text: 'GLB: shapes and joints on the frame grid, for any program that reads glTF',
  },
  { key: 'curves', title: 'Curves', text: 'JSON: every control and every shape, one value a frame' },
] as const;

const count = (n: number, one: string) => (n === 1 ? `one ${one}` : `${n} ${one}s`);

export function DeliverPage() {
  const lines = useQuery({ queryKey: ['lines'], queryFn: api.lines });
  const production = useQuery({ queryKey: ['production'], queryFn: api.production });
  const jobs = useQuery({ queryKey: ['jobs'], queryFn: api.jobs });
  const files = useQuery({ queryKey: ['deliveries'], queryFn: api.deliveries });
  const [left, setLeft] = useState<Set<number>>(new Set());
  const [kinds, setKinds] = useState({ glb: true, curves: true });
  const ready = lines.data?.filter((l) => speaks(l) && l.character) ?? [];
  const going = ready.filter((l) => !left.has(l.id));
  const doubtful = going.filter((l) => l.doubtful_words > 0).length;
  const each = Number(kinds.glb) + Number(kinds.curves);
  const toggle = (id: number) => {
    const next = new Set(left);
    if (!next.delete(id)) next.add(id);
    setLeft(next);
  };
  return (
    <main className={css.page}>
      <section className={css.choose}>
        <h1>Deliver</h1>
        <div className={css.head}>
          <span className="soft">Choose what goes out</span>
          <Press
            kind="quiet"
            onClick={() => setLeft(left.size === 0 ? new Set(ready.map((l) => l.id)) : new Set())}
          >
            {left.size === 0 ? 'None' : 'All'}
          </Press>
        </div>
        <Asked query={lines}>
          {(lines) =>
            lines.length === 0 ? (
              <p className="soft">There are no lines yet; add one on Lines, then it can go out.</p>
            ) : (
              lines.map((l) => (
                <Choice
                  key={l.id}
                  line={l}
                  can={ready.includes(l)}
                  on={!left.has(l.id)}
                  onChange={() => toggle(l.id)}
                />
              ))
            )
          }
        </Asked>
      </section>
      <section className={css.what}>
        <h2>As what</h2>
        <div className={css.kinds}>
          {KINDS.map((k) => (
            <button
              key={k.key}
              className={css.kind}
              aria-pressed={kinds[k.key]}
              onClick={() => setKinds({ ...kinds, [k.key]: !kinds[k.key] })}
            >
              <b>
                {k.title} <span>{kinds[k.key] ? '✓ goes out' : 'add'}</span>
              </b>
              <p>{k.text}</p>
            </button>
          ))}
        </div>
        <h2>On which frames</h2>
        {production.data && <GridPart production={production.data} lines={going} />}
        <h2>Off it goes</h2>
        <div className={css.row}>
          <Press
            kind="main"
            size="sm"
            testId="deliver"
            disabled={going.length === 0 || each === 0}
            onClick={() =>
              void api
                .deliver(
                  going.map((l) => l.id),
                  kinds,
                )
                .catch(tell)
            }
          >
            Deliver {count(going.length, 'line')}
          </Press>
          <span className="soft">
            {count(going.length * each, 'file')}
            {doubtful > 0 && ` · ${count(doubtful, 'line')} with doubtful words`}
          </span>
        </div>
        <Example />
      </section>
      <aside className={css.side}>
        <h2>Queue and files</h2>
        <Asked query={files}>
          {(files) => <Queue jobs={jobs.data ?? []} files={files} lines={lines.data ?? []} />}
        </Asked>
      </aside>
    </main>
  );
}

function Choice({
  line: l,
  can,
  on,
  onChange,
}: {
  line: LineSummary;
  can: boolean;
  on: boolean;
  onChange: () => void;
}) {
  return (
    <div className={css.pick}>
      <Checkbox
        disabled={!can}
        checked={can && on}
        onChange={onChange}
        label={
          <span className={css.words}>
            <b>{l.name ?? l.number}</b> {l.character ?? 'nobody'} · {l.duration.toFixed(1)} s
            {!can && (speaks(l) ? ' · nobody says it yet' : ' · not timed yet')}
            {l.doubtful_words > 0 && ` · ${l.doubtful_words} doubtful`}
            <span className={css.text}>{l.text}</span>
          </span>
        }
      />
    </div>
  );
}

function GridPart({ production, lines }: { production: Production; lines: LineSummary[] }) {
  const { grid } = production;
  const rate = grid.rate.den === 1 ? `${grid.rate.num}` : String(Math.round(perSecond(grid) * 1000) / 1000);
  const longest = lines.reduce<LineSummary | null>((a, b) => (a && a.duration >= b.duration ? a : b), null);
  return (
    <div className={css.row}>
      <RateField
        value={rate}
        onChange={(next) => void produce({ do: 'grid', rate: next, first: grid.first })}
      />
      <NumberField
        labelled
        label="first frame"
        testId="first-frame"
        digits={0}
        step={1}
        width={90}
        value={grid.first}
        onChange={(first) => void produce({ do: 'grid', rate: `${grid.rate.num}/${grid.rate.den}`, first })}
      />
      {longest && (
        <span className="soft small">
          line {longest.number}: sound ends at {longest.last_sound_frame}, clip at {longest.last_frame}
        </span>
      )}
    </div>
  );
}

function Example() {
  return (
    <div className={css.example}>
      <div className="soft">The same for one recording, without this page:</div>
      <pre>
        jamlips sync line.wav --text "What is said." --character bram.glb --out delivered --fps 23.976
      </pre>
    </div>
  );
}

const megabytes = (bytes: number) =>
  bytes >= 1e6 ? `${(bytes / 1e6).toFixed(1)} MB` : `${Math.max(1, Math.round(bytes / 1e3))} kB`;

const remove = (ids: number[]) => void produce({ do: 'delete_deliveries', ids });

function Queue({ jobs, files, lines }: { jobs: Job[]; files: Delivery[]; lines: LineSummary[] }) {
  const running = jobs.filter(
    (j) => j.kind === 'deliver' && j.state !== 'done' && lines.some((l) => l.id === j.line),
  );
  const name = (id: number) => {
    const line = lines.find((l) => l.id === id);
    return line ? `${line.name ?? `Line ${line.number}`}, ${line.character ?? ''}` : 'A line';
  };
  const delivered = lines.map((l) => l.id).filter((id) => files.some((f) => f.line === id));
  if (running.length === 0 && delivered.length === 0) {
    return <div className="soft">Nothing went out yet. What you deliver is kept here, to be downloaded.</div>;
  }
  return (
    <>
      {running.map((job) => (
        <div key={job.id} className={css.queue}>
          <div className={css.top}>
            <b>{name(job.line)}</b>
            {job.state === 'running' || job.state === 'waiting' ? (
              <Press kind="quiet" onClick={() => void api.cancel(job.id).catch(tell)}>
                {job.state === 'waiting' ? 'Waits · cancel' : 'Cancel'}
              </Press>
            ) : (
              <span className="soft">{job.state}</span>
            )}
          </div>
          {job.message && <Problem>{job.message}</Problem>}
          <div className={css.track}>
            <div style={{ width: `${job.progress * 100}%` }} />
          </div>
        </div>
      ))}
      {delivered.map((line) => {
        const own = files.filter((f) => f.line === line);
        return (
          <div key={line} className={css.queue} data-testid={`delivered-${line}`}>
            <div className={css.top}>
              <b>{name(line)}</b>
              <span className={css.done}>✓ done</span>
              <Press
                kind="quiet"
                aria-label={`Delete what went out of ${name(line)}`}
                onClick={() => remove(own.map((f) => f.id))}
              >
                Delete
              </Press>
            </div>
            {own.map((f) => (
              <FileRow key={f.id} file={f} />
            ))}
          </div>
        );
      })}
    </>
  );
}

function FileRow({ file }: { file: Delivery }) {
  const address = `/api/deliveries/${file.id}/file`;
  return (
    <Menu width={180} position="bottom-start">
      <Menu.ContextMenu>
        <div className={css.file}>
          <a href={address} download={file.file_name}>
            {file.file_name}
          </a>
          <span className="soft">{megabytes(file.size)}</span>
        </div>
      </Menu.ContextMenu>
      <Menu.Dropdown>
        <Menu.Item component="a" href={address} download={file.file_name}>
          Download
        </Menu.Item>
        <Menu.Item onClick={() => remove([file.id])}>Delete</Menu.Item>
      </Menu.Dropdown>
    </Menu>
  );
}
