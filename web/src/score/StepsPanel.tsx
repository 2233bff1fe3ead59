import { useState } from 'react';
import { act, answered } from '../api/act';
import { type LineView, api } from '../api/client';
import { longName } from '../cast/words';
import { compareWith } from './compare';
import { takeBack } from '../commands';
import { useView } from '../state';

/** The bench: what was done, snapshots, and touches whose words are gone. */
export function StepsPanel({ line }: { line: LineView }) {
  const { id } = line.summary;
  const [name, setName] = useState('');
  const comparing = useView((s) => s.compare);
  const aside = line.touches.filter((t) => t.aside);
  return (
    <section className="panel" aria-label="Steps" data-testid="steps">
      <div style={{ display: 'flex', gap: 8, alignItems: 'center' }}>
        <h2>Steps</h2>
        <span className="soft" style={{ marginLeft: 'auto' }}>
          <button className="quiet" onClick={() => takeBack('undo')} disabled={line.undo.length === 0}>
            Undo <kbd className="key">Z</kbd>
          </button>{' '}
          <button className="quiet" onClick={() => takeBack('redo')} disabled={line.redo.length === 0}>
            Redo <kbd className="key">Y</kbd>
          </button>
        </span>
      </div>
      <form
        className="sound-part-row"
        onSubmit={(event) => {
          event.preventDefault();
          void answered(api.keepSnapshot(id, name.trim() || `${line.undo.length} steps in`));
          setName('');
        }}
      >
        <input
          className="field small"
          style={{ flex: 1, minWidth: 90 }}
          aria-label="Name of the snapshot"
          placeholder="before lunch"
          data-testid="snapshot-name"
          value={name}
          onChange={(event) => setName(event.target.value)}
        />
        <button className="button" data-testid="keep-snapshot">
          Keep a snapshot
        </button>
      </form>
      {line.snapshots.map((s) => (
        <div key={s.id} className="step snapshot">
          <span>{s.name}</span>
          <button
            className="quiet"
            aria-pressed={comparing?.snapshot === s.id}
            data-testid={`compare-${s.name}`}
            onClick={() => compareWith(comparing?.snapshot === s.id ? null : s)}
          >
            Compare
          </button>
          <button className="quiet" onClick={() => void act(id, { do: 'restore', snapshot: s.id })}>
            Go back
          </button>
          <button
            className="quiet"
            onClick={() => void answered(api.forget(id, s.id))}
            title="Forget this snapshot"
          >
            Forget
          </button>
        </div>
      ))}
      {aside.length > 0 && (
        <div className="step">
          <span>
            Kept aside, their words are gone:{' '}
            {aside.map((t) => `${longName(t.control)} on ${t.on}`).join(', ')}
          </span>
          <button
            className="quiet"
            onClick={() =>
              void act(id, {
                do: 'touches',
                remove: aside.map((t) => t.id),
                what: 'throw touches away that were kept aside',
              })
            }
          >
            Throw away
          </button>
        </div>
      )}
      <ol className="steps">
        {line.redo.map((step, i) => (
          <li key={`redo ${i}`} className="soft" title="Taken back; Y makes it again">
            {step}
          </li>
        ))}
        {line.undo.map((step, i) => (
          <li key={line.undo.length - i}>{step}</li>
        ))}
      </ol>
      {line.undo.length === 0 && line.redo.length === 0 && (
        <span className="soft">
          Nothing was changed yet. Every change is kept at once, and can be undone even after a restart.
        </span>
      )}
    </section>
  );
}
