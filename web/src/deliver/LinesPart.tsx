import { Checkbox } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { type Delivery, type LineSummary, api, speaks } from '../api/client';
import { Press } from '../widgets/Press';
import { order, useOrder } from './order';
import css from './DeliverPage.module.css';

/** Whether something of a line went out, and whether it is still as the line is. */
function stateOf(line: number, files: Delivery[]): 'never' | 'current' | 'changed' {
  const own = files.filter((f) => f.scene == null && f.line === line);
  if (own.length === 0) return 'never';
  return own.some((f) => f.changed) ? 'changed' : 'current';
}

export function LinesPart({ lines, going }: { lines: LineSummary[]; going: LineSummary[] }) {
  const files = useQuery({ queryKey: ['deliveries'], queryFn: api.deliveries });
  const onlyChanged = useOrder((s) => s.onlyChanged);
  const ready = lines.filter(speaks);
  const state = (line: number) => stateOf(line, files.data ?? []);
  const changed = ready.filter((l) => state(l.id) === 'changed');
  const choose = (chosen: LineSummary[]) => order({ lines: chosen.map((l) => l.id) });
  const toggle = (line: LineSummary) =>
    choose(going.includes(line) ? going.filter((l) => l !== line) : [...going, line]);
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
        <div className={css.list}>
          {lines.map((l) => (
            <Choice
              key={l.id}
              line={l}
              on={going.includes(l)}
              state={state(l.id)}
              onChange={() => toggle(l)}
            />
          ))}
        </div>
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

const STATES = { never: '', current: '✓ out', changed: 'changed since' } as const;

function Choice({
  line: l,
  on,
  state,
  onChange,
}: {
  line: LineSummary;
  on: boolean;
  state: keyof typeof STATES;
  onChange: () => void;
}) {
  const can = speaks(l);
  return (
    <div className={css.pick} data-testid={`pick-${l.id}`}>
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
