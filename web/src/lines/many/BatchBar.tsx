import { useQuery } from '@tanstack/react-query';
import { type LineSummary, api, lacksText } from '../../api/client';
import { remember, useSettings } from '../../settings';
import { set } from '../../state';
import { Hint } from '../../widgets/Hint';
import { Press } from '../../widgets/Press';
import { count } from '../../widgets/words';
import { queued } from '../lineActions';
import css from './BatchBar.module.css';
import { bringMissedAgain, forgetMissed, stopBringing, useBringing } from './bring';

/** What is under way with many lines, and what is left of it to be done by hand. */
export function BatchBars({ lines }: { lines: LineSummary[] }) {
  return (
    <>
      <Bringing />
      <Batch lines={lines} />
      <Script lines={lines} />
    </>
  );
}

function Meter({ done }: { done: number }) {
  return (
    <div className={css.meter} aria-hidden>
      <div style={{ width: `${100 * done}%` }} />
    </div>
  );
}

function Bringing() {
  const { all, sent, missed, going } = useBringing();
  if (all === 0) return null;
  return (
    <div className={css.bar} role="status" data-testid="bringing">
      {going && <Meter done={(sent + missed.length) / all} />}
      <span>
        {going ? `Bringing in: ${sent} of ${count(all, 'line')}` : `${sent} came in`}
        {missed.length > 0 && (
          <>
            {', '}
            <Hint
              says={missed
                .slice(0, 12)
                .map((m) => `${m.line.called}: ${m.says}`)
                .join(' · ')}
            >
              <b tabIndex={0}>{missed.length} did not</b>
            </Hint>
            {!going && `: ${missed[0]?.line.called}: ${missed[0]?.says}`}
          </>
        )}
      </span>
      <span className={css.end}>
        {going ? (
          <Press onClick={stopBringing} hint="What came in stays">
            Stop
          </Press>
        ) : (
          <>
            <Press testId="bring-again" onClick={bringMissedAgain}>
              Try those again
            </Press>
            <Press kind="quiet" onClick={forgetMissed}>
              Leave them
            </Press>
          </>
        )}
      </span>
    </div>
  );
}

/** Seconds in words, roughly: it is an estimate. */
function roughly(seconds: number): string {
  if (seconds < 10) return 'a few seconds';
  if (seconds < 90) return `about ${Math.ceil(seconds / 10) * 10} s`;
  const minutes = Math.round(seconds / 60);
  return minutes < 90 ? `about ${minutes} min` : `about ${Math.round(minutes / 60)} h`;
}

function Batch({ lines }: { lines: LineSummary[] }) {
  const batch = useQuery({ queryKey: ['batch'], queryFn: api.batch }).data;
  const failed = lines.filter((l) => l.state === 'failed');
  if (!batch) return null;
  const { left, done, paused } = batch;
  if (left > 0) {
    const all = left + done + batch.failed;
    return (
      <div className={css.bar} role="status" data-testid="batch" data-left={left}>
        <Meter done={(done + batch.failed) / all} />
        <span>
          {paused ? 'Waiting: ' : 'Working: '}
          {done + batch.failed} of {count(all, 'line')}
          {batch.failed > 0 && `, ${batch.failed} gave nothing`}
          {batch.seconds_left != null && ` · ${roughly(batch.seconds_left)} left`}
        </span>
        <span className={css.end}>
          <Press
            testId="pause"
            hint={
              paused ? undefined : 'After the lines that are being worked on; a restart does not change that'
            }
            onClick={() => queued(api.pauseBatch(!paused))}
          >
            {paused ? 'Go on' : 'Pause'}
          </Press>
          <Press kind="quiet" testId="cancel-batch" onClick={() => queued(api.cancelBatch())}>
            Cancel
          </Press>
        </span>
      </div>
    );
  }
  if (failed.length < 2) return null;
  return (
    <div className={css.bar} role="status">
      <span>{failed.length} lines need a look</span>
      <span className={css.end}>
        <Press testId="try-failed" onClick={() => queued(api.analyseLines(failed.map((l) => l.id)))}>
          Time them again
        </Press>
      </span>
    </div>
  );
}

/** A script that came with recordings, until its lines are found in them. */
function Script({ lines }: { lines: LineSummary[] }) {
  const script = useSettings((s) => s.script);
  const without = lines.filter(lacksText);
  if (script.length === 0 || without.length === 0) return null;
  const heard = without.filter((l) => l.state === 'heard').length;
  return (
    <div className={css.bar} role="status" data-testid="script-bar">
      <span>
        A script of {count(script.length, 'line')} came with them; {heard} of {count(without.length, 'line')}{' '}
        without a text {heard === 1 ? 'is' : 'are'} heard.
      </span>
      <span className={css.end}>
        <Press
          kind="main"
          testId="open-script"
          disabled={heard === 0}
          onClick={() => set({ matching: true })}
        >
          Find the texts
        </Press>
        <Press kind="quiet" onClick={() => remember({ script: [] })}>
          Forget it
        </Press>
      </span>
    </div>
  );
}
