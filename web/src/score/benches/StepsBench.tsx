import { act, answered } from '../../api/act';
import { type LineView, api } from '../../api/client';
import { longName } from '../../cast/words';
import { takeBack } from '../../commands';
import { useView } from '../../state';
import { Press } from '../../widgets/Press';
import { TextField } from '../../widgets/TextField';
import { useAlphabet } from '../alphabet';
import { compareWith } from '../compare';
import css from './bench.module.css';
import steps from './StepsBench.module.css';

/** The bench: what was done, snapshots, and touches whose words are gone. */
export function StepsBench({ line }: { line: LineView }) {
  const { id } = line.summary;
  const alphabet = useAlphabet(line);
  const comparing = useView((s) => s.compare);
  const aside = line.touches.filter((t) => t.aside);
  return (
    <section className={css.bench} aria-label="Steps" data-testid="steps-bench">
      <div className={css.column}>
        <h3>Snapshots</h3>
        <span className={css.note}>A named state of the line, to go back to or to compare with.</span>
        <TextField
          label="Name of the snapshot"
          placeholder="before lunch"
          testId="snapshot-name"
          onSubmit={(name) => void answered(api.keepSnapshot(id, name))}
        >
          {(text) => (
            <Press type="submit" testId="keep-snapshot" disabled={!text.trim()}>
              Keep
            </Press>
          )}
        </TextField>
        {line.snapshots.map((s) => (
          <div key={s.id} className={steps.snapshot}>
            <b>{s.name}</b>
            <span className={css.row}>
              <Press
                kind="quiet"
                pressed={comparing?.snapshot === s.id}
                testId={`compare-${s.name}`}
                onClick={() => compareWith(comparing?.snapshot === s.id ? null : s)}
              >
                Compare
              </Press>
              <Press kind="quiet" onClick={() => void act(id, { do: 'restore', snapshot: s.id })}>
                Go back
              </Press>
              <Press kind="quiet" onClick={() => void answered(api.forget(id, s.id))}>
                Delete
              </Press>
            </span>
          </div>
        ))}
        {aside.length > 0 && (
          <>
            <h3>Kept aside</h3>
            <span className={css.note}>
              Their words are gone:{' '}
              {aside.map((t) => `${longName(t.control)} on ${alphabet.sentence(t.on)}`).join(', ')}
            </span>
            <div>
              <Press
                onClick={() =>
                  void act(id, {
                    do: 'touches',
                    remove: aside.map((t) => t.id),
                    what: 'delete touches that were kept aside',
                  })
                }
              >
                Delete {aside.length === 1 ? 'it' : 'them'}
              </Press>
            </div>
          </>
        )}
      </div>
      <div className={css.column} style={{ gridColumn: 'span 2' }}>
        <div className={css.row}>
          <h3>Steps</h3>
          <Press
            kind="quiet"
            gives="undo"
            cap
            onClick={() => takeBack('undo')}
            disabled={line.undo.length === 0}
          >
            Undo
          </Press>
          <Press
            kind="quiet"
            gives="redo"
            cap
            onClick={() => takeBack('redo')}
            disabled={line.redo.length === 0}
          >
            Redo
          </Press>
        </div>
        {line.undo.length === 0 && line.redo.length === 0 && (
          <span className={css.note}>
            Nothing was changed yet. Every change is kept at once, and can be undone even after a restart.
          </span>
        )}
        <ol className={steps.steps}>
          {line.redo.map((step, i) => (
            <li key={`redo ${i}`} className="soft">
              {alphabet.sentence(step)} (undone)
            </li>
          ))}
          {line.undo.map((step, i) => (
            <li key={line.undo.length - i}>{alphabet.sentence(step)}</li>
          ))}
        </ol>
      </div>
    </section>
  );
}
