import { useState } from 'react';
import type { ControlName, Grid, KeyShape, LineView, TimedKey, Touch } from '../api/client';
import { longName } from '../cast/words';
import { get, set, useView } from '../state';
import * as hand from './hand';
import { perSecond, timeOf } from './time';

interface Props {
  line: LineView;
  grid: Grid;
  control: ControlName;
}

const SHAPES: [KeyShape['kind'], string][] = [
  ['smooth', 'Smooth'],
  ['eased', 'Eased'],
  ['straight', 'Straight'],
  ['stepped', 'Stepped'],
  ['free', 'Free'],
];

const shaped = (kind: KeyShape['kind']): KeyShape =>
  kind === 'free' ? { kind, before: 0, after: 0 } : { kind };

/** The bench: the curve that is worked on and its chosen keys. */
export function CurvePanel({ line, grid, control }: Props) {
  const keys = useView((s) => s.keys);
  const snap = useView((s) => s.snap);
  const touches = hand.chosenTouches(line, keys);
  const [first] = touches;
  const chosen = touches.flatMap((touch) =>
    touch.keys
      .map((key, i) => ({ touch, key, i }))
      .filter(({ i }) => keys.some((k) => k.touch === touch.id && k.key === i)),
  );
  const [only] = chosen;
  const kinds = new Set(chosen.map(({ key }) => key.shape?.kind ?? 'smooth'));
  const own = hand.touchesOf(line).filter((t) => t.control === control);
  const controls = new Set(touches.map((t) => t.control));
  const title = controls.size > 1 ? `${controls.size} curves` : longName(first?.control ?? control);
  return (
    <section className="panel tight" aria-label="Curve" data-testid="curve-panel">
      <div>
        <div style={{ display: 'flex', alignItems: 'baseline', gap: 8 }}>
          <h2>
            {title}
            {chosen.length > 0 && `, ${chosen.length === 1 ? 'a key' : `${chosen.length} keys`}`}
          </h2>
          <button
            className="quiet"
            style={{ marginLeft: 'auto' }}
            onClick={() => set({ control: null, keys: [] })}
          >
            Let go
          </button>
        </div>
        <span className="soft">
          {first
            ? `by hand, on ${first.on}`
            : own.length > 0
              ? `by hand: ${own.map((t) => `${t.keys.length} on ${t.on}`).join(', ')}`
              : 'automatic so far: double-click the curve to put a key on it, or press T'}
        </span>
      </div>
      {first && only ? (
        <>
          <div className="segments">
            {SHAPES.map(([kind, name]) => (
              <button
                key={kind}
                className="chip"
                aria-pressed={kinds.size === 1 && kinds.has(kind)}
                data-testid={`shape-${kind}`}
                onClick={() => hand.shapeKeys(shaped(kind))}
              >
                {name}
              </button>
            ))}
          </div>
          {chosen.length === 1 ? (
            <OneKey key={`${only.touch.id} ${only.i}`} grid={grid} touch={only.touch} shown={only.key} />
          ) : (
            <ManyKeys keys={chosen.map(({ key }) => key)} />
          )}
          <div className="segments">
            <button
              className="chip"
              aria-pressed={first.laid === 'add'}
              title="The keys are added to the automatic curve, which goes on underneath"
              onClick={() => hand.layAs('add')}
            >
              Add to it
            </button>
            <button
              className="chip"
              aria-pressed={first.laid === 'replace'}
              title="The keys take the place of the automatic curve"
              onClick={() => hand.layAs('replace')}
            >
              In its place
            </button>
          </div>
          <TouchSettings key={first.id} touch={first} grid={grid} />
        </>
      ) : null}
      <div className="chips">
        <button className="button" onClick={hand.keyHere} title="A key on the curve at the playhead (T)">
          Key here
        </button>
        <button className="button" onClick={hand.neutralKey} title="A key at rest at the playhead">
          Neutral key
        </button>
        <button
          className="button"
          onClick={() => void hand.bake()}
          data-testid="bake"
          title="Keys in place of the automatic curve, over the chosen word or what is in view (B)"
        >
          Bake
        </button>
        <button
          className="button"
          onClick={() => void hand.unbake()}
          data-testid="unbake"
          title="The automatic curve under baked keys comes back (U)"
        >
          Un-bake
        </button>
        {(control.endsWith('_left') || control.endsWith('_right')) && (
          <button
            className="button"
            onClick={() => void hand.mirror()}
            data-testid="mirror"
            title="The same keys on the other side of the face (M)"
          >
            Mirror
          </button>
        )}
        <button
          className="button"
          onClick={() => void hand.backToAutomatic()}
          data-testid="automatic"
          title="Takes the keys away over the chosen keys, word, or what is in view"
        >
          Back to automatic
        </button>
        <button
          className="button"
          aria-pressed={snap}
          onClick={() => set({ snap: !get().snap })}
          title="Keys land on frames (G)"
        >
          On frames
        </button>
      </div>
      <span className="soft">
        {hand.baked && own.some((t) => t.laid === 'replace') ? `Baked: ${hand.baked}. ` : ''}
        {first ? 'The thin curve is the automatic one. If the word moves, these keys move with it.' : ''}
      </span>
    </section>
  );
}

/** Exact frame and value of a key. */
function OneKey({ grid, touch, shown }: { grid: Grid; touch: Touch; shown: TimedKey }) {
  const frame = grid.first + shown.time * perSecond(grid);
  const value = hand.shownAt(touch, shown);
  const [typed, setTyped] = useState<{ frame?: string; value?: string }>({});
  const use = () => {
    const at = Number((typed.frame ?? '').replace(',', '.'));
    const to = Number((typed.value ?? '').replace(',', '.'));
    const time =
      typed.frame !== undefined && Number.isFinite(at) ? Math.max(0, timeOf(grid, at)) : shown.time;
    const wanted = typed.value !== undefined && Number.isFinite(to) ? to : value;
    if (typed.frame !== undefined || typed.value !== undefined) {
      hand.changeKeys('set', (key) => ({ ...key, time, value: hand.keyFor(touch, time, wanted) }));
    }
    setTyped({});
  };
  return (
    <form
      className="sound-part-row"
      onSubmit={(event) => {
        event.preventDefault();
        use();
      }}
    >
      <label className="soft">
        frame{' '}
        <input
          className="field small"
          style={{ width: 76 }}
          data-testid="key-frame"
          value={typed.frame ?? String(Math.round(frame * 100) / 100)}
          onChange={(event) => setTyped({ ...typed, frame: event.target.value })}
          onBlur={use}
        />
      </label>
      <label className="soft">
        value{' '}
        <input
          className="field small"
          style={{ width: 64 }}
          data-testid="key-value"
          value={typed.value ?? value.toFixed(3)}
          onChange={(event) => setTyped({ ...typed, value: event.target.value })}
          onBlur={use}
        />
      </label>
      <button type="submit" hidden />
    </form>
  );
}

/** Stretching many keys in time about the playhead, and in value. */
function ManyKeys({ keys }: { keys: TimedKey[] }) {
  const stretchBy = (factor: number) => {
    const [low, high] = [Math.min(...keys.map((k) => k.time)), Math.max(...keys.map((k) => k.time))];
    const { time } = get();
    const about = time >= low && time <= high ? time : (low + high) / 2;
    hand.changeKeys('stretch', (key) => ({
      ...key,
      time: Math.max(0, hand.snapped(about + (key.time - about) * factor)),
    }));
  };
  const scaleBy = (factor: number) =>
    hand.changeKeys('scale', (key) => ({ ...key, value: key.value * factor }));
  return (
    <div className="scales">
      <span>In time</span>
      <button className="chip" onClick={() => stretchBy(0.8)} title="Nearer to the playhead, by a fifth">
        80 %
      </button>
      <button
        className="chip"
        onClick={() => stretchBy(1.25)}
        title="Farther from the playhead, by a quarter"
      >
        125 %
      </button>
      <span>In value</span>
      <button className="chip" onClick={() => scaleBy(0.8)}>
        80 %
      </button>
      <button className="chip" onClick={() => scaleBy(1.25)}>
        125 %
      </button>
    </div>
  );
}

/** How strongly the touch is laid, and how it comes and goes. */
function TouchSettings({ touch, grid }: { touch: Touch; grid: Grid }) {
  const [moved, setMoved] = useState('');
  const frames = (seconds: number) => Math.round(seconds * perSecond(grid) * 10) / 10;
  const change = (name: 'amount' | 'fade', value: number) => {
    const goesOn = moved === name;
    setMoved(name);
    if (name === 'amount') hand.settle('change the amount of', { amount: value }, goesOn);
    else hand.settle('fade', { fade_in: value / perSecond(grid), fade_out: value / perSecond(grid) }, goesOn);
  };
  return (
    <div className="diction" onPointerUp={() => setMoved('')}>
      <label>
        <span>Amount</span>
        <input
          type="range"
          min={0}
          max={2}
          step={0.01}
          value={touch.amount}
          data-testid="touch-amount"
          onChange={(event) => change('amount', Number(event.target.value))}
        />
        <span className="num">{Math.round(touch.amount * 100)} %</span>
      </label>
      <label>
        <span>Fade in, out</span>
        <input
          type="range"
          min={0}
          max={24}
          step={0.5}
          value={frames(touch.fade_in)}
          onChange={(event) => change('fade', Number(event.target.value))}
        />
        <span className="num">{frames(touch.fade_in)} fr</span>
      </label>
    </div>
  );
}
