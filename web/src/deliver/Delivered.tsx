import { Menu } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { Suspense, lazy, useState } from 'react';
import { type Delivery, type Job, type LineSummary, api } from '../api/client';
import { produce } from '../api/production';
import { Asked } from '../widgets/Asked';
import { Press } from '../widgets/Press';
import { Problem } from '../widgets/Problem';
import { tell } from '../widgets/tell';
import { count, sizeOf } from '../widgets/words';
import { type MovieJob, stopMovie, useMovies } from './movies';
import css from './DeliverPage.module.css';

// The page does not wait for the renderer.
const CompareView = lazy(() => import('./CompareView').then((m) => ({ default: m.CompareView })));

const remove = (ids: number[]) => void produce({ do: 'delete_deliveries', ids });

/** What waits, what is made, what is out. */
export function Delivered({ lines }: { lines: LineSummary[] }) {
  const jobs = useQuery({ queryKey: ['jobs'], queryFn: api.jobs });
  const files = useQuery({ queryKey: ['deliveries'], queryFn: api.deliveries });
  const movies = useMovies((s) => s.jobs);
  const [seen, see] = useState<Delivery | null>(null);
  const [whole, showAll] = useState<string | null>(null);
  const byId = new Map(lines.map((l) => [l.id, l]));
  const scenes = useQuery({ queryKey: ['scenes'], queryFn: api.scenes });
  const sceneName = (id: number | null) => scenes.data?.find((s) => s.id === id)?.name ?? 'A scene';
  const name = (id: number) => {
    const line = byId.get(id);
    return line ? `${line.name ?? `Line ${line.number}`}, ${line.character ?? 'nobody'}` : 'A line';
  };
  const running = (jobs.data ?? []).filter(
    (j) => j.kind === 'deliver' && j.state !== 'done' && byId.has(j.line),
  );
  return (
    <aside className={css.side}>
      <div className={css.sideHead}>
        <h2>Out</h2>
        {(files.data?.length ?? 0) > 0 && (
          <a href="/api/deliveries/zip" download data-testid="zip">
            All as one zip
          </a>
        )}
      </div>
      {movies.map((m) => (
        <MovieRow key={m.id} job={m} name={m.line === null ? sceneName(m.scene) : name(m.line)} />
      ))}
      {running.map((job) => (
        <JobRow key={job.id} job={job} name={name(job.line)} />
      ))}
      <Asked query={files}>
        {(files) => {
          const out = lines.filter((l) => files.some((f) => f.scene == null && f.line === l.id));
          const staged = (scenes.data ?? []).filter((s) => files.some((f) => f.scene === s.id));
          const few = out.length + staged.length <= 3;
          if (out.length + staged.length === 0 && running.length === 0 && movies.length === 0) {
            return (
              <p className="soft">
                Nothing went out yet. What you deliver is kept here: to download, to look at, to compare with
                the line as it goes on.
              </p>
            );
          }
          const group = (key: string, name: string, own: (f: Delivery) => boolean) => (
            <Files
              key={key}
              id={key}
              name={name}
              files={files.filter(own).sort((a, b) => a.id - b.id)}
              open={whole === key || few}
              onOpen={() => showAll(whole === key ? null : key)}
              onSee={see}
            />
          );
          return (
            <>
              {staged.map((s) => group(`scenes=${s.id}`, `${s.name}, the scene`, (f) => f.scene === s.id))}
              {out.map((l) => group(`lines=${l.id}`, name(l.id), (f) => f.scene == null && f.line === l.id))}
            </>
          );
        }}
      </Asked>
      <Example />
      {seen && (
        <Suspense>
          <CompareView delivery={seen} name={name(seen.line)} onClose={() => see(null)} />
        </Suspense>
      )}
    </aside>
  );
}

/** What went out of a line or a scene; its address in the zip names it. */
function Files({
  id,
  name,
  files,
  open,
  onOpen,
  onSee,
}: {
  id: string;
  name: string;
  files: Delivery[];
  open: boolean;
  onOpen: () => void;
  onSee: (file: Delivery) => void;
}) {
  const number = id.replace('lines=', '');
  const changed = files.some((f) => f.changed);
  const one = files.find((f) => f.comparable);
  const size = files.reduce((sum, f) => sum + f.size, 0);
  return (
    <div className={css.queue} data-testid={`delivered-${number}`} data-changed={changed || undefined}>
      <div className={css.top}>
        <button className={css.name} aria-expanded={open} onClick={onOpen}>
          <b>{name}</b>
          <span className="soft small">
            {' '}
            {count(files.length, 'file')}, {sizeOf(size)}
          </span>
        </button>
        <span className={changed ? css.changed : css.done}>{changed ? 'changed since' : '✓ current'}</span>
      </div>
      <div className={css.acts}>
        {one && (
          <Press kind="quiet" testId={`see-${number}`} onClick={() => onSee(one)}>
            {changed ? 'Compare with now' : 'See'}
          </Press>
        )}
        <a href={`/api/deliveries/zip?${id}`} download className={css.zip}>
          Zip
        </a>
        <Press
          kind="quiet"
          aria-label={`Delete what went out of ${name}`}
          onClick={() => remove(files.map((f) => f.id))}
        >
          Delete
        </Press>
      </div>
      {open && <FileList files={files} />}
    </div>
  );
}

/** Files that went out, by what their names differ in. */
export function FileList({ files }: { files: Delivery[] }) {
  const stem = stemOf(files.map((f) => f.file_name));
  return (
    <>
      <p className={`soft small ${css.stem}`}>{stem}</p>
      <div className={css.endings}>
        {files.map((f) => (
          <FileRow key={f.id} file={f} stem={stem} />
        ))}
      </div>
    </>
  );
}

/** What most names begin with, up to their ending. */
function stemOf(names: string[]): string {
  const counts = new Map<string, number>();
  for (const name of names) {
    const folder = name.lastIndexOf('/') + 1;
    const stem = name.slice(0, folder + (name.slice(folder).split('.')[0] ?? '').length);
    counts.set(stem, (counts.get(stem) ?? 0) + 1);
  }
  return [...counts].sort((a, b) => b[1] - a[1])[0]?.[0] ?? '';
}

/** A name without the stem, where it has it. */
const shortOf = (name: string, stem: string) =>
  stem && name.startsWith(stem) && /[._]/.test(name[stem.length] ?? '')
    ? name.slice(stem.length)
    : (name.split('/').pop() ?? name);

function FileRow({ file, stem }: { file: Delivery; stem: string }) {
  const address = `/api/deliveries/${file.id}/file`;
  return (
    <Menu width={180} position="bottom-start">
      <Menu.ContextMenu>
        <div className={css.file}>
          <a href={address} download={file.file_name.split('/').pop()}>
            {shortOf(file.file_name, stem)}
          </a>{' '}
          <span className="soft">{sizeOf(file.size)}</span>
        </div>
      </Menu.ContextMenu>
      <Menu.Dropdown>
        <Menu.Item component="a" href={address} download={file.file_name.split('/').pop()}>
          Download
        </Menu.Item>
        <Menu.Item onClick={() => remove([file.id])}>Delete</Menu.Item>
      </Menu.Dropdown>
    </Menu>
  );
}

function Bar({ share }: { share: number }) {
  return (
    <div className={css.track}>
      <div style={{ width: `${share * 100}%` }} />
    </div>
  );
}

export function JobRow({ job, name }: { job: Job; name: string }) {
  const open = job.state === 'running' || job.state === 'waiting';
  return (
    <div className={css.queue}>
      <div className={css.top}>
        <b>{name}</b>
        {open ? (
          <Press kind="quiet" onClick={() => void api.cancel(job.id).catch(tell)}>
            {job.state === 'waiting' ? 'Waits · cancel' : 'Cancel'}
          </Press>
        ) : (
          <span className="soft">{job.state}</span>
        )}
      </div>
      {job.message && <Problem>{job.message}</Problem>}
      {open && <Bar share={job.progress} />}
    </div>
  );
}

export function MovieRow({ job, name }: { job: MovieJob; name: string }) {
  return (
    <div className={css.queue} data-testid="movie-job">
      <div className={css.top}>
        <b>{name}</b>
        <span className="soft small num">
          {job.state === 'drawing' ? `movie, frame ${job.done + 1} of ${job.frames}` : 'movie waits'}
        </span>
        <Press kind="quiet" onClick={() => stopMovie(job.id)}>
          {job.state === 'failed' ? 'Away' : 'Cancel'}
        </Press>
      </div>
      {job.message && <Problem>{job.message}</Problem>}
      <Bar share={job.frames > 0 ? job.done / job.frames : 0} />
    </div>
  );
}

function Example() {
  return (
    <div className={css.example}>
      <div className="soft small">The same without this page:</div>
      <pre>jamlips deliver --data fog.jam --out delivered --lines 1,4-6 --files glb,usd,sheet</pre>
    </div>
  );
}
