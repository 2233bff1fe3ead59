import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { act } from '../api/act';
import { type Finding, type Grid, type LineView, api } from '../api/client';
import { regionColour } from '../cast/words';
import { get, set } from '../state';
import * as player from './player';
import { frameAt } from './time';

/** The bench: what a supervisor would send back, each with its place and a mend. */
export function CheckPanel({ line, grid }: { line: LineView; grid: Grid }) {
  const { id } = line.summary;
  const found = useQuery({
    queryKey: ['findings', id],
    queryFn: () => api.findings(id),
    enabled: line.document.timing != null,
  });
  const [dismissing, setDismissing] = useState<string | null>(null);
  const [reason, setReason] = useState('');
  const settle = (finding: Finding, why?: string) => {
    setDismissing(null);
    const { rule, span } = finding;
    void act(
      id,
      why === undefined
        ? { do: 'mend', rule, start: span.start }
        : { do: 'dismiss', rule, start: span.start, reason: why },
    );
  };
  const go = (finding: Finding) => {
    set({ control: finding.controls[0] ?? get().control });
    player.seek(finding.span.start + 1e-4);
  };
  const all = found.data ?? [];
  const open = all.filter((f) => f.dismissed == null);
  const key = (f: Finding) => `${f.rule} ${f.span.start} ${f.controls[0] ?? ''}`;
  return (
    <section className="panel" aria-label="Check" data-testid="check">
      <h2>
        {found.data ? (open.length === 0 ? 'Nothing to mend' : `${open.length} to look at`) : 'Looking …'}
      </h2>
      {found.data?.length === 0 && (
        <span className="soft">Seals, sync, life, blinks, gaze, brows and the recording were looked at.</span>
      )}
      {all.map((f) => (
        <div
          key={key(f)}
          className="finding"
          data-testid={`finding-${f.rule}`}
          data-dismissed={f.dismissed ?? undefined}
        >
          <div className="finding-head" title={f.about}>
            {f.controls[0] && (
              <i className="swatch" style={{ background: regionColour(regionOf(f.controls[0])) }} />
            )}
            <b>{f.title}</b>
            <button className="link" onClick={() => go(f)}>
              frame {frameAt(grid, f.span.start + 1e-4)}
            </button>
          </div>
          <span className="soft">{f.dismissed != null ? `meant so: ${f.dismissed}` : f.says}</span>
          {f.dismissed != null ? (
            <button className="quiet" onClick={() => settle(f, '')}>
              Look at it again
            </button>
          ) : dismissing === key(f) ? (
            <form
              className="sound-part-row"
              onSubmit={(event) => {
                event.preventDefault();
                settle(f, reason.trim() || 'meant so');
              }}
            >
              <input
                className="field small"
                style={{ flex: 1, minWidth: 80 }}
                autoFocus
                placeholder="because …"
                aria-label="Why it is meant so"
                value={reason}
                onChange={(event) => setReason(event.target.value)}
              />
              <button className="button">Dismiss</button>
            </form>
          ) : (
            <div className="sound-part-row">
              {f.mend && (
                <button className="button" data-testid={`mend-${f.rule}`} onClick={() => settle(f)}>
                  Mend: {f.mend}
                </button>
              )}
              <button
                className="quiet"
                onClick={() => {
                  setReason('');
                  setDismissing(key(f));
                }}
              >
                Meant so …
              </button>
            </div>
          )}
        </div>
      ))}
    </section>
  );
}

/** The region of a control, by the first word of its name. */
function regionOf(control: string) {
  const first = control.split('_')[0];
  const regions = {
    jaw: 'jaw',
    tongue: 'tongue',
    cheek: 'cheeks',
    nose: 'cheeks',
    nostril: 'cheeks',
    lid: 'lids',
    brow: 'brows',
    gaze: 'gaze',
    head: 'head',
  } as const;
  return regions[first as keyof typeof regions] ?? 'lips';
}
