import { Checkbox } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { type Delivery, type LineSummary, api, speaks } from '../api/client';
import { Long } from '../widgets/Long';
import { Press } from '../widgets/Press';
import { order, useOrder } from './order';
import css from './DeliverPage.module.css';

type Out = 'never' | 'current' | 'changed';

/** Height of a line in the list, pixels. */
const ROW = 48;

/** Of lines of which something went out, whether that is still as the line is. */
function outOf(files: Delivery[]): Map<number, Out> {
  const out = new Map<number, Out>();
  for (const file of files) {
    if (file.scene != null) continue;
    if (file.changed || !out.has(file.line)) out.set(file.line, file.changed ? 'changed' : 'current');
  }
  return out;
}

export function LinesPart({ lines, going }: { lines: LineSummary[]; going: LineSummary[] }) {
  const files = useQuery({ queryKey: ['deliveries'], queryFn: api.deliveries });
  const onlyChanged = useOrder((s) => s.onlyChanged);
  const ready = lines.filter(speaks);
  const out = outOf(files.data ?? []);
  const state = (line: number) => out.get(line) ?? 'never';
  const chosen = new Set(going.map((l) => l.id));
  const changed = ready.filter((l) => state(l.id) === 'changed');
  const choose = (chosen: LineSummary[]) => order({ lines: chosen.map((l) => l.id) });
  const toggle = (line: LineSummary) =>
    choose(chosen.has(line.id) ? going.filter((l) => l !== line) : [...going, line]);
  return (
    <section className={css.choose}>
      <h1>Deliver</h1>
      <div className={css.head}>
        <Press kind="quiet" testId="all-lines" onClick={() => choose(ready)}>
          All
        </Press>
        <Press kind="quiet" testId="no-lines" onClick={() => choose([])}>
          None
        </Press>
        {changed.length > 0 && (
          <Press
            kind="quiet"
            hint="Lines that were changed since something of them went out"
            onClick={() => choose(changed)}
          >
            Changed ({changed.length})
          </Press>
        )}
      </div>
      {lines.length === 0 ? (
        <p className="soft">There are no lines yet; add one on Lines, then it can go out.</p>
      ) : (
        <Long className={css.list} role="group" label="Lines that go out" rows={lines} height={ROW}>
          {(l, _, style) => (
            <Choice
              key={l.id}
              line={l}
              on={chosen.has(l.id)}
              state={state(l.id)}
              style={style}
              onChange={() => toggle(l)}
            />
          )}
        </Long>
      )}
      <Checkbox
        className={css.only}
        checked={onlyChanged}
        onChange={(event) => order({ onlyChanged: event.currentTarget.checked })}
        label="Leave out what is out already as it is now"
      />
    </section>
  );
}

const STATES = { never: '', current: '✓ out', changed: 'changed since' } as const satisfies Record<
  Out,
  string
>;

function Choice({
  line: l,
  on,
  state,
  style,
  onChange,
}: {
  line: LineSummary;
  on: boolean;
  state: Out;
  style: React.CSSProperties;
  onChange: () => void;
}) {
  const can = speaks(l);
  return (
    <div className={css.pick} style={style} data-testid={`pick-${l.id}`}>
      <Checkbox
        disabled={!can}
        checked={can && on}
        onChange={onChange}
        label={
          <span className={css.words}>
            <span className={css.first}>
              <b>{l.name ?? l.number}</b> {l.character ?? 'nobody'} · {l.duration.toFixed(1)} s
              {!can && ' · not timed yet'}
              <span className={state === 'changed' ? css.changed : css.out}>{STATES[state]}</span>
            </span>
            <span className={css.text}>{l.text}</span>
          </span>
        }
      />
    </div>
  );
}
