import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import {
  type Delivery,
  type Job,
  type LineSummary,
  type Production,
  api,
  queries,
  speaks,
  tell,
} from '../api/client';

const KINDS = [
  {
    key: 'glb',
    title: 'Animated character',
    text: 'GLB: shapes and joints on the frame grid, for any program that reads glTF',
  },
  { key: 'curves', title: 'Curves', text: 'JSON: every control and every shape, one value a frame' },
] as const;

const RATES = ['24', '25', '30', '30000/1001', '24000/1001', '48', '60'];

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

  const deliver = async () => {
    try {
      await api.deliver(
        going.map((l) => l.id),
        kinds,
      );
    } catch (error) {
      tell(error);
    }
  };
  const toggle = (id: number) => {
    const next = new Set(left);
    if (!next.delete(id)) next.add(id);
    setLeft(next);
  };

  return (
    <main className="deliver">
      <section className="choose">
        <h1 style={{ fontSize: 27 }}>Deliver</h1>
        <div className="soft" style={{ display: 'flex', justifyContent: 'space-between' }}>
          Choose what goes out
          <button
            className="quiet"
            onClick={() => setLeft(left.size === 0 ? new Set(ready.map((l) => l.id)) : new Set())}
          >
            {left.size === 0 ? 'None' : 'All'}
          </button>
        </div>
        {lines.data?.map((l) => {
          const can = ready.includes(l);
          return (
            <label key={l.id} className="pick" style={can ? undefined : { opacity: 0.6 }}>
              <input
                type="checkbox"
                disabled={!can}
                checked={can && !left.has(l.id)}
                onChange={() => toggle(l.id)}
              />
              <span>
                <b>{l.number}</b> {l.character} · {l.duration.toFixed(1)} s{!can && ' · not timed yet'}
                {l.doubtful_words > 0 && ` · ${l.doubtful_words} doubtful`}
                <div className="words">{l.text}</div>
              </span>
            </label>
          );
        })}
      </section>
      <section className="what">
        <h2>As what</h2>
        <div className="kinds">
          {KINDS.map((k) => (
            <button
              key={k.key}
              className="kind"
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
        <h2>On which grid</h2>
        {production.data && (
          <GridForm key={JSON.stringify(production.data)} production={production.data} lines={going} />
        )}
        <h2>Off it goes</h2>
        <div style={{ display: 'flex', gap: 12, alignItems: 'center' }}>
          <button
            className="button main"
            style={{ padding: '8px 20px' }}
            disabled={going.length === 0 || !(kinds.glb || kinds.curves)}
            onClick={() => void deliver()}
            data-testid="deliver"
          >
            Deliver {going.length} {going.length === 1 ? 'line' : 'lines'}
          </button>
          <span className="soft">
            {going.length * (Number(kinds.glb) + Number(kinds.curves))} files
            {doubtful > 0 && ` · ${doubtful} lines have doubtful words`}
          </span>
        </div>
        <Example />
      </section>
      <aside className="side" style={{ gap: 4 }}>
        <h2>Queue and files</h2>
        <Queue jobs={jobs.data ?? []} files={files.data ?? []} lines={lines.data ?? []} />
      </aside>
    </main>
  );
}

function GridForm({ production, lines }: { production: Production; lines: LineSummary[] }) {
  const { num, den } = production.grid.rate;
  const [rate, setRate] = useState(den === 1 ? `${num}` : `${num}/${den}`);
  const [first, setFirst] = useState(`${production.grid.first}`);
  const longest = lines.reduce<LineSummary | null>((a, b) => (a && a.duration >= b.duration ? a : b), null);
  const save = async (newRate: string, newFirst: string) => {
    const [n, d] = newRate.split('/');
    try {
      await api.setProduction({
        name: production.name,
        grid: { rate: { num: Number(n), den: Number(d ?? 1) }, first: Math.round(Number(newFirst)) || 0 },
      });
      await queries.invalidateQueries();
    } catch (error) {
      tell(error);
    }
  };
  return (
    <div className="grid-row">
      <label className="named">
        Frames a second
        <select
          className="field"
          value={rate}
          onChange={(e) => {
            setRate(e.target.value);
            void save(e.target.value, first);
          }}
        >
          {[...new Set([rate, ...RATES])].map((r) => (
            <option key={r}>{r}</option>
          ))}
        </select>
      </label>
      <label className="named">
        First frame
        <input
          className="field"
          style={{ width: 110 }}
          type="number"
          value={first}
          onChange={(e) => setFirst(e.target.value)}
          onBlur={() => void save(rate, first)}
        />
      </label>
      {longest && (
        <span className="soft" style={{ paddingBottom: 6 }}>
          line {longest.number}: sound ends at {longest.last_sound_frame}, clip at {longest.last_frame}
        </span>
      )}
    </div>
  );
}

function Example() {
  return (
    <div style={{ marginTop: 'auto' }}>
      <div className="soft" style={{ marginBottom: 4 }}>
        The same for one recording, without this page:
      </div>
      <pre className="command">
        jamlips sync line.wav --text "What is said." --character bram.glb --out delivered
      </pre>
    </div>
  );
}

const megabytes = (bytes: number) =>
  bytes >= 1e6 ? `${(bytes / 1e6).toFixed(1)} MB` : `${Math.max(1, Math.round(bytes / 1e3))} kB`;

function Queue({ jobs, files, lines }: { jobs: Job[]; files: Delivery[]; lines: LineSummary[] }) {
  const running = jobs.filter((j) => j.kind === 'deliver' && j.state !== 'done');
  const name = (id: number) => {
    const line = lines.find((l) => l.id === id);
    return line ? `Line ${line.number}, ${line.character ?? ''}` : 'A line';
  };
  const delivered = lines.map((l) => l.id).filter((id) => files.some((f) => f.line === id));
  if (running.length === 0 && delivered.length === 0) {
    return <div className="soft">Nothing went out yet. What you deliver is kept here, to be downloaded.</div>;
  }
  return (
    <>
      {running.map((job) => (
        <div key={job.id} className="queue">
          <div className="top">
            <b>{name(job.line)}</b>
            {job.state === 'running' || job.state === 'waiting' ? (
              <button className="quiet" onClick={() => api.cancel(job.id).catch(tell)}>
                {job.state === 'waiting' ? 'waits · cancel' : 'cancel'}
              </button>
            ) : (
              <span className="soft">{job.state}</span>
            )}
          </div>
          {job.message && <div className="problem">{job.message}</div>}
          <div className="track">
            <div style={{ width: `${job.progress * 100}%` }} />
          </div>
        </div>
      ))}
      {delivered.map((line) => (
        <div key={line} className="queue" data-testid={`delivered-${line}`}>
          <div className="top">
            <b>{name(line)}</b>
            <span className="state timed">✓ done</span>
          </div>
          {files
            .filter((f) => f.line === line)
            .map((f) => (
              <div key={f.id} style={{ display: 'flex', justifyContent: 'space-between', gap: 8 }}>
                <a
                  href={`/api/deliveries/${f.id}/file`}
                  download={f.file_name}
                  style={{ overflowWrap: 'anywhere' }}
                >
                  {f.file_name}
                </a>
                <span className="soft" style={{ whiteSpace: 'nowrap' }}>
                  {megabytes(f.size)}
                </span>
              </div>
            ))}
        </div>
      ))}
    </>
  );
}
