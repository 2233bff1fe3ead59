import { Popover } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { type CastDetail, type ControlName, type Feed, type Output, api } from '../api/client';
import { AddOutput } from './AddOutput';
import { editWiring } from './edit';
import { NumberField } from './NumberField';
import { usePose } from './pose';
import { longName, plain, regionColour, sameTarget, targetKind, targetName } from './words';

type Response = NonNullable<Feed['response']>;

const RESPONSES: { kind: Response['kind']; label: string; path: string }[] = [
  { kind: 'straight', label: 'straight', path: 'M2 20 L34 2' },
  { kind: 'slow_start', label: 'slow at first', path: 'M2 20 Q22 20 34 2' },
  { kind: 'slow_end', label: 'slow at the end', path: 'M2 20 Q14 2 34 2' },
  { kind: 'slow_ends', label: 'slow at both ends', path: 'M2 20 C18 20 18 2 34 2' },
  { kind: 'points', label: 'through points', path: 'M2 20 L12 16 L20 6 L34 2' },
];

/** What the chosen control moves, edited in place. */
export function WiringPanel({ detail }: { detail: CastDetail }) {
  const { member, matches } = detail;
  const chosen = usePose((s) => s.chosen);
  const vocabulary = useQuery({ queryKey: ['vocabulary'], queryFn: api.vocabulary, staleTime: Infinity });
  const region = vocabulary.data?.controls.find((c) => c.name === chosen)?.region ?? 'jaw';
  const { outputs } = member.wiring;
  const rows = outputs.flatMap((output, o) =>
    output.feeds.flatMap((feed, f) => (feed.control === chosen ? [{ output, o, feed, f }] : [])),
  );
  const missing = member.missing.find((m) => m.control === chosen);
  const reason = rows
    .map(({ output }) => matches.find((m) => m.outputs.some((mo) => sameTarget(mo.target, output.target))))
    .find(Boolean);

  return (
    <div className="wiring">
      <h2 style={{ color: regionColour(region) }}>
        {longName(chosen)}{' '}
        <span className="soft small">
          {rows.length === 0
            ? 'drives nothing'
            : `drives ${rows.length} ${rows.length === 1 ? 'output' : 'outputs'}`}
        </span>
      </h2>
      {missing && (
        <p className="soft">
          {rows.length > 0 ? 'A stand-in: ' : ''}
          {missing.cost}.
        </p>
      )}
      {rows.length > 0 && (
        <div className="wires">
          <span className="soft">output</span>
          <span className="soft">gain</span>
          <span className="soft">offset</span>
          <span className="soft">from … to</span>
          <span />
          {rows.map((row) => (
            <WireRow
              key={`${row.o} ${row.f}`}
              id={member.id}
              {...row}
              controls={vocabulary.data?.controls.map((c) => c.name) ?? []}
            />
          ))}
        </div>
      )}
      <div className="wire-actions">
        <AddOutput detail={detail} control={chosen} />
        {reason && (
          <span className="soft">
            proposed, {reason.sure}: {reason.reason}
          </span>
        )}
      </div>
    </div>
  );
}

interface RowProps {
  id: number;
  output: Output;
  o: number;
  feed: Feed;
  f: number;
  controls: ControlName[];
}

function WireRow({ id, output, o, feed, f, controls }: RowProps) {
  const name = targetName(output.target);
  const edit = (by: (output: Output, feed: Feed) => void) => {
    void editWiring(id, (w) => {
      const out = w.outputs[o];
      const own = out?.feeds[f];
      if (out && own && sameTarget(out.target, output.target)) by(out, own);
    });
  };
  const others = output.feeds.filter((other) => other !== feed);
  const list = others.map((other) => `${longName(other.control)} × ${plain(other.gain)}`).join(', ');
  const told = others.length > 2 ? `${others.length} more controls` : list;
  return (
    <>
      <span className="wire-name" title={list || name}>
        <b>{name}</b>
        <span className="soft">
          {targetKind(output.target)}
          {feed.stands_in && ', standing in'}
          {feed.times && `, only with ${longName(feed.times)}`}
          {others.length > 0 && `; ${output.mix === 'strongest' ? 'or' : 'with'} ${told}`}
        </span>
      </span>
      <NumberField
        label={`Gain of ${name}`}
        testId={`gain-${name}`}
        value={feed.gain}
        onChange={(gain) =>
          edit((_, own) => {
            own.gain = gain;
            own.stands_in = false;
          })
        }
      />
      <NumberField
        label={`Offset of ${name}`}
        value={output.offset ?? 0}
        onChange={(offset) => edit((out) => (out.offset = offset))}
      />
      <span className="limits">
        <NumberField
          label={`Lower limit of ${name}`}
          value={output.low}
          onChange={(low) => edit((out) => (out.low = low))}
        />
        <NumberField
          label={`Upper limit of ${name}`}
          value={output.high}
          onChange={(high) => edit((out) => (out.high = high))}
        />
      </span>
      <Details output={output} feed={feed} controls={controls} edit={edit} />
    </>
  );
}

interface DetailsProps {
  output: Output;
  feed: Feed;
  controls: ControlName[];
  edit: (by: (output: Output, feed: Feed) => void) => void;
}

/** The response and what is seldom changed. */
function Details({ output, feed, controls, edit }: DetailsProps) {
  const response: Response = feed.response ?? { kind: 'straight' };
  const shown = RESPONSES.find((r) => r.kind === response.kind) ?? RESPONSES[0];
  const name = targetName(output.target);
  const setPoint = (index: number, part: 0 | 1, value: number) =>
    edit((_, own) => {
      if (own.response?.kind !== 'points') return;
      const point = own.response.points[index];
      if (point) point[part] = value;
    });
  return (
    <Popover position="top-end" width={290} withArrow>
      <Popover.Target>
        <button
          className="response"
          aria-label={`Response of ${name}: ${shown?.label ?? ''}`}
          title="Response and more"
        >
          <svg width="36" height="22" aria-hidden="true">
            <path d={shown?.path} />
          </svg>
        </button>
      </Popover.Target>
      <Popover.Dropdown className="details">
        <b>{name}</b>
        <label className="named">
          Response
          <select
            className="field"
            value={response.kind}
            onChange={(e) => {
              const kind = e.target.value as Response['kind'];
              edit((_, own) => {
                own.response =
                  kind === 'points'
                    ? {
                        kind,
                        points: [
                          [0, 0],
                          [0.5, 0.5],
                          [1, 1],
                        ],
                      }
                    : { kind };
              });
            }}
          >
            {RESPONSES.map((r) => (
              <option key={r.kind} value={r.kind}>
                {r.label}
              </option>
            ))}
          </select>
        </label>
        {response.kind === 'points' && (
          <div className="points">
            {response.points.map((p, i) => (
              <span key={i} className="limits">
                <NumberField
                  label={`Point ${i + 1}, control`}
                  value={p[0] ?? 0}
                  onChange={(v) => setPoint(i, 0, v)}
                />
                <NumberField
                  label={`Point ${i + 1}, output`}
                  value={p[1] ?? 0}
                  onChange={(v) => setPoint(i, 1, v)}
                />
                <button
                  className="quiet"
                  aria-label={`Remove point ${i + 1}`}
                  disabled={response.points.length <= 2}
                  onClick={() =>
                    edit((_, own) => {
                      if (own.response?.kind === 'points') own.response.points.splice(i, 1);
                    })
                  }
                >
                  ×
                </button>
              </span>
            ))}
            <button
              className="button"
              onClick={() =>
                edit((_, own) => {
                  if (own.response?.kind !== 'points') return;
                  const [a, b] = own.response.points.slice(-2);
                  if (!a || !b) return;
                  const middle = [0, 1].map((k) => ((a[k] ?? 0) + (b[k] ?? 0)) / 2);
                  own.response.points.splice(-1, 0, middle);
                })
              }
            >
              Add a point
            </button>
          </div>
        )}
        <label className="named">
          Only with another control (for corrective shapes)
          <select
            className="field"
            value={feed.times ?? ''}
            onChange={(e) =>
              edit((_, own) => {
                own.times = (e.target.value || null) as ControlName | null;
              })
            }
          >
            <option value="">by itself</option>
            {controls.map((c) => (
              <option key={c} value={c}>
                {longName(c)}
              </option>
            ))}
          </select>
        </label>
        {output.feeds.length > 1 && (
          <label className="named">
            Several controls
            <select
              className="field"
              value={output.mix ?? 'sum'}
              onChange={(e) => edit((out) => (out.mix = e.target.value as Output['mix']))}
            >
              <option value="sum">add up</option>
              <option value="strongest">the strongest counts</option>
            </select>
          </label>
        )}
        <button
          className="button"
          onClick={() =>
            edit((out, own) => {
              out.feeds = out.feeds.filter((other) => other !== own);
            })
          }
        >
          Take this wire away
        </button>
      </Popover.Dropdown>
    </Popover>
  );
}
