import { Popover } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { type CastDetail, type ControlName, type Feed, type Output, api } from '../api/client';
import { AddOutput } from './AddOutput';
import { Hint } from '../widgets/Hint';
import { NumberField } from '../widgets/NumberField';
import { Pick } from '../widgets/Pick';
import { Press } from '../widgets/Press';
import details from './AddOutput.module.css';
import { rewire } from './edit';
import css from './WiringPanel.module.css';
import { usePose } from './pose';
import { longName, plain, sameTarget, targetKind, targetName } from './words';

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
  const rows = outputs.flatMap((output) =>
    output.feeds.flatMap((feed) => (feed.control === chosen ? [{ output, feed }] : [])),
  );
  const missing = member.missing.find((m) => m.control === chosen);
  const reason = rows
    .map(({ output }) => matches.find((m) => m.outputs.some((mo) => sameTarget(mo.target, output.target))))
    .find(Boolean);

  return (
    <div className={css.wiring}>
      <h2 style={{ color: `var(--${region}-text)` }}>
        {longName(chosen)}{' '}
        <span className={css.drives}>
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
        <div className={css.wires}>
          <span className="soft">output</span>
          <span className="soft">gain</span>
          <span className="soft">offset</span>
          <span className="soft">from … to</span>
          <span />
          {rows.map((row) => (
            <WireRow
              key={row.feed.id}
              id={member.id}
              {...row}
              controls={vocabulary.data?.controls.map((c) => c.name) ?? []}
            />
          ))}
        </div>
      )}
      <div className={css.actions}>
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
  feed: Feed;
  controls: ControlName[];
}

function WireRow({ id, output, feed, controls }: RowProps) {
  const name = targetName(output.target);
  const set = (change: Record<string, number>) =>
    void rewire(id, { do: 'change_output', output: output.id, change });
  const others = output.feeds.filter((other) => other !== feed);
  const list = others.map((other) => `${longName(other.control)} × ${plain(other.gain)}`).join(', ');
  const told = others.length > 2 ? `${others.length} more controls` : list;
  return (
    <>
      <span className={css.name}>
        <Hint says={list || name}>
          <b>{name}</b>
        </Hint>
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
        onChange={(gain) => void rewire(id, { do: 'change_feed', feed: feed.id, change: { gain } })}
      />
      <NumberField
        label={`Offset of ${name}`}
        value={output.offset ?? 0}
        onChange={(offset) => set({ offset })}
      />
      <span className={css.limits}>
        <NumberField label={`Lower limit of ${name}`} value={output.low} onChange={(low) => set({ low })} />
        <NumberField
          label={`Upper limit of ${name}`}
          value={output.high}
          onChange={(high) => set({ high })}
        />
      </span>
      <Details id={id} output={output} feed={feed} controls={controls} />
    </>
  );
}

/** The response and what is seldom changed. */
function Details({ id, output, feed, controls }: RowProps) {
  const response: Response = feed.response ?? { kind: 'straight' };
  const shown = RESPONSES.find((r) => r.kind === response.kind) ?? RESPONSES[0];
  const name = targetName(output.target);
  const set = (change: { response?: Response; times?: ControlName | null }) =>
    void rewire(id, { do: 'change_feed', feed: feed.id, change });
  const points = response.kind === 'points' ? response.points : [];
  const setPoints = (points: number[][]) => set({ response: { kind: 'points', points } });
  const setPoint = (index: number, part: 0 | 1, value: number) =>
    setPoints(points.map((p, i) => (i === index ? p.map((v, k) => (k === part ? value : v)) : p)));
  return (
    <Popover position="top-end" width={290} withArrow>
      <Popover.Target>
        <button className={css.response} aria-label={`Response of ${name}: ${shown?.label ?? ''}, and more`}>
          <svg width="36" height="22" aria-hidden="true">
            <path d={shown?.path} />
          </svg>
        </button>
      </Popover.Target>
      <Popover.Dropdown className={details.details}>
        <b>{name}</b>
        <Pick
          labelled
          label="response"
          value={response.kind}
          options={RESPONSES.map((r) => [r.kind, r.label] as const)}
          // Points that are not given are those of a straight response.
          onChange={(kind) => set({ response: { kind } as Response })}
        />
        {response.kind === 'points' && (
          <div className={css.points}>
            {points.map((p, i) => (
              <span key={i} className={css.limits}>
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
                <Press
                  kind="quiet"
                  aria-label={`Delete point ${i + 1}`}
                  disabled={points.length <= 2}
                  onClick={() => setPoints(points.filter((_, k) => k !== i))}
                >
                  ×
                </Press>
              </span>
            ))}
            <Press onClick={() => void rewire(id, { do: 'add_point', feed: feed.id })}>Add a point</Press>
          </div>
        )}
        <Pick
          labelled
          label="only with (for corrective shapes)"
          value={feed.times ?? ''}
          options={[['', 'by itself'] as const, ...controls.map((c) => [c, longName(c)] as const)]}
          onChange={(times) => set({ times: times || null })}
        />
        {output.feeds.length > 1 && (
          <Pick
            labelled
            label="several controls"
            value={output.mix ?? 'sum'}
            options={[
              ['sum', 'add up'],
              ['strongest', 'the strongest counts'],
            ]}
            onChange={(mix) => void rewire(id, { do: 'change_output', output: output.id, change: { mix } })}
          />
        )}
        <Press onClick={() => void rewire(id, { do: 'unwire', feed: feed.id })}>Delete this wire</Press>
      </Popover.Dropdown>
    </Popover>
  );
}
