import { useState } from 'react';
import { act } from '../../api/act';
import type { Finding, Grid, LineView } from '../../api/client';
import { regionColour, regionOf } from '../../cast/words';
import { get, set } from '../../state';
import { Asked } from '../../widgets/Asked';
import { Hint } from '../../widgets/Hint';
import { Press } from '../../widgets/Press';
import { TextField } from '../../widgets/TextField';
import { useAlphabet } from '../alphabet';
import * as player from '../player';
import { frameAt } from '../time';
import { useFindings } from '../useFindings';
import css from './bench.module.css';
import check from './CheckBench.module.css';

/** The bench: what a supervisor would send back, each with its place and a mend. */
export function CheckBench({ line, grid }: { line: LineView; grid: Grid }) {
  const found = useFindings(line);
  if (!line.document.timing) {
    return (
      <section className={css.bench} aria-label="Check" data-testid="check-bench">
        <span className="soft">
          The line is not timed yet, so there is nothing to look at. Line, “Time again”.
        </span>
      </section>
    );
  }
  return (
    <section className={css.bench} aria-label="Check" data-testid="check-bench">
      <Asked query={found}>
        {(all) => {
          const open = all.filter((f) => f.dismissed == null);
          return (
            <>
              <div className={css.bar}>
                <h2>
                  {open.length === 0
                    ? 'Nothing to mend'
                    : open.length === 1
                      ? 'One thing to look at'
                      : `${open.length} things to look at`}
                </h2>
                {all.length === 0 && (
                  <span className={css.note}>
                    Seals, sync, life, blinks, gaze, brows and the recording were looked at.
                  </span>
                )}
              </div>
              {all.map((f) => (
                <One
                  key={`${f.rule} ${f.span.start} ${f.controls[0] ?? ''}`}
                  line={line}
                  grid={grid}
                  finding={f}
                />
              ))}
            </>
          );
        }}
      </Asked>
    </section>
  );
}

/** So many places of a finding are links. */
const PLACES = 8;

function One({ line, grid, finding: f }: { line: LineView; grid: Grid; finding: Finding }) {
  const { id } = line.summary;
  const [dismissing, setDismissing] = useState(false);
  const settle = (why?: string) => {
    setDismissing(false);
    const { rule, span } = f;
    void act(
      id,
      why === undefined
        ? { do: 'mend', rule, start: span.start }
        : { do: 'dismiss', rule, start: span.start, reason: why },
    );
  };
  const alphabet = useAlphabet(line);
  const go = (start: number) => {
    const [control] = f.controls;
    set({ curves: control ? [control] : get().curves });
    player.seek(start + 1e-4);
  };
  const places = [f.span, ...f.again];
  const rest = places.length - PLACES;
  return (
    <div
      className={check.finding}
      data-testid={`finding-${f.rule}`}
      data-dismissed={f.dismissed ?? undefined}
    >
      <div className={check.head}>
        {f.controls[0] && (
          <i className={css.swatch} style={{ background: regionColour(regionOf(f.controls[0])) }} />
        )}
        <Hint says={f.about}>
          <b>{f.title}</b>
        </Hint>
      </div>
      <span className={check.places}>
        {places.length > 1 ? `${places.length} times, frames` : 'frame'}
        {places.slice(0, PLACES).map((place) => {
          const frame = frameAt(grid, place.start + 1e-4);
          return (
            <Press
              key={place.start}
              kind="link"
              aria-label={`Go to frame ${frame}`}
              onClick={() => go(place.start)}
            >
              {frame}
            </Press>
          );
        })}
        {rest > 0 && ` and ${rest} more`}
      </span>
      <span className={css.note}>
        {f.dismissed != null ? `meant so: ${f.dismissed}` : alphabet.sentence(f.says)}
      </span>
      {f.dismissed != null ? (
        <div>
          <Press kind="quiet" onClick={() => settle('')}>
            Look at it again
          </Press>
        </div>
      ) : dismissing ? (
        <div className={css.row}>
          <TextField label="Why it is meant so" placeholder="because …" autoFocus onSubmit={settle}>
            {() => <Press type="submit">Dismiss</Press>}
          </TextField>
          <Press kind="quiet" onClick={() => setDismissing(false)}>
            Cancel
          </Press>
        </div>
      ) : (
        <div className={css.row}>
          {f.mend && (
            <Press testId={`mend-${f.rule}`} onClick={() => settle()}>
              {places.length > 1 ? 'Mend all' : 'Mend'}: {f.mend}
            </Press>
          )}
          <Press kind="quiet" onClick={() => setDismissing(true)}>
            Meant so …
          </Press>
        </div>
      )}
    </div>
  );
}
