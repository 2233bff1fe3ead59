import { Checkbox } from '@mantine/core';
import type { Grid, KeyShape, LineView, TimedKey, Touch } from '../../api/client';
import { longName, partner } from '../../cast/words';
import { get, set, useView } from '../../state';
import { Choice } from '../../widgets/Choice';
import { NumberField } from '../../widgets/NumberField';
import { Press } from '../../widgets/Press';
import { SlideRow } from '../../widgets/SlideRow';
import { choose, keysOf } from '../chosen';
import * as hand from '../hand';
import { perSecond, timeOf } from '../time';
import { give } from '../../commands';
import css from './bench.module.css';

const SHAPES: [KeyShape['kind'], string][] = [
  ['smooth', 'smooth'],
  ['eased', 'eased'],
  ['straight', 'straight'],
  ['stepped', 'stepped'],
  ['free', 'free'],
];

const shaped = (kind: KeyShape['kind']): KeyShape =>
  kind === 'free' ? { kind, before: 0, after: 0 } : { kind };

/** The bench: the curves that are worked on and their chosen keys. */
export function CurveBench({ line, grid }: { line: LineView; grid: Grid }) {
  const keys = keysOf(useView((s) => s.chosen));
  const curves = useView((s) => s.curves);
  const open = useView((s) => s.open);
  const touches = hand.chosenTouches(line, keys);
  const chosen = touches.flatMap((touch) =>
    touch.keys
      .map((key, i) => ({ touch, key, i }))
      .filter(({ i }) => keys.some((k) => k.touch === touch.id && k.key === i)),
  );
  const controls = [...new Set(touches.map((t) => t.control))];
  const worked = controls.length > 0 ? controls : curves;
  if (worked.length === 0) {
    return (
      <section className={css.bench} aria-label="Curve" data-testid="curve-bench">
        <div className={css.column} style={{ gridColumn: 'span 2' }}>
          <h2>No curve is chosen</h2>
          <span className={css.note}>
            {open
              ? 'Press a curve or its name at the left of the open stave; with Ctrl or Shift several are chosen.'
              : 'Open the curves of a stave with the triangle before its name; then press a curve.'}
          </span>
          <div>
            <Press gives="openStave" cap onClick={() => give('openStave')}>
              {open ? 'Close the curves' : 'Open the curves'}
            </Press>
          </div>
        </div>
      </section>
    );
  }
  const [one] = worked;
  const title = worked.length > 1 || !one ? `${worked.length} curves` : longName(one);
  const own = hand.touchesOf(line).filter((t) => worked.includes(t.control));
  const [first] = touches;
  return (
    <section className={css.bench} aria-label="Curve" data-testid="curve-bench">
      <div className={css.column}>
        <div className={css.row}>
          <h2>
            {title}
            {chosen.length > 0 && `, ${chosen.length === 1 ? 'a key' : `${chosen.length} keys`}`}
          </h2>
          <Press
            kind="quiet"
            className={css.push}
            gives="none"
            onClick={() => {
              choose(null);
              set({ curves: [] });
            }}
          >
            Deselect
          </Press>
        </div>
        <span className={css.note}>
          {first
            ? `by hand, on ${[...new Set(touches.map((t) => t.on))].slice(0, 3).join(', ')}`
            : own.length > 0
              ? `by hand: ${own
                  .slice(0, 4)
                  .map((t) => `${t.keys.length} on ${t.on}`)
                  .join(', ')}`
              : 'automatic so far: double-click the curve to put a key on it'}
        </span>
        <Actions worked={worked} own={own} />
      </div>
      {chosen.length > 0 && <Keys grid={grid} chosen={chosen} />}
      {first && <TouchPart key={first.id} touch={first} grid={grid} />}
    </section>
  );
}

function Actions({ worked, own }: { worked: string[]; own: Touch[] }) {
  const snap = useView((s) => s.snap);
  const sided = worked.some((c) => partner(c as Touch['control']) !== null);
  return (
    <>
      <div className={css.row}>
        <Press gives="keyHere" onClick={() => give('keyHere')}>
          Key here
        </Press>
        <Press gives="keyRest" hint="A key at rest at the playhead" onClick={() => give('keyRest')}>
          At rest
        </Press>
        <Press gives="allKeys" disabled={own.length === 0} onClick={() => give('allKeys')}>
          All keys
        </Press>
        <Press
          hint="Smooths the chosen keys, or all keys of the chosen curves"
          disabled={own.length === 0}
          onClick={hand.smooth}
        >
          Smooth
        </Press>
        <Press gives="mirror" testId="mirror" disabled={!sided} onClick={() => give('mirror')}>
          Mirror
        </Press>
      </div>
      <div className={css.row}>
        <Press
          gives="bake"
          testId="bake"
          hint="Keys in place of the automatic curve, over what is chosen or what is in view"
          onClick={() => give('bake')}
        >
          Bake
        </Press>
        <Press
          gives="unbake"
          testId="unbake"
          hint="The automatic curve under baked keys comes back"
          onClick={() => give('unbake')}
        >
          Un-bake
        </Press>
        <NumberField
          labelled
          label="within"
          suffix=" %"
          width={58}
          low={0.1}
          high={20}
          digits={1}
          step={0.5}
          value={hand.tolerance() * 100}
          onChange={(v) => {
            hand.setTolerance(v / 100);
            set({ curves: [...get().curves] });
          }}
        />
      </div>
      <div className={css.row}>
        <Press
          gives="automatic"
          testId="automatic"
          hint="Takes the keys away over what is chosen, or what is in view"
          onClick={() => give('automatic')}
        >
          Back to automatic
        </Press>
        <Checkbox
          label="keys on frames"
          checked={snap}
          onChange={(e) => set({ snap: e.currentTarget.checked })}
        />
      </div>
      {hand.baked && own.some((t) => t.laid === 'replace') && (
        <span className={css.note}>Baked: {hand.baked}.</span>
      )}
    </>
  );
}

interface One {
  touch: Touch;
  key: TimedKey;
  i: number;
}

function Keys({ grid, chosen }: { grid: Grid; chosen: One[] }) {
  const kinds = new Set(chosen.map(({ key }) => key.shape?.kind ?? 'smooth'));
  const [only] = chosen;
  return (
    <div className={css.column}>
      <h3>{chosen.length === 1 ? 'The key' : 'The keys'}</h3>
      <Choice
        wide
        label="How the curve goes through"
        testId="key-shapes"
        value={kinds.size === 1 ? ([...kinds][0] ?? null) : null}
        options={SHAPES}
        onChange={(kind) => hand.shapeKeys(shaped(kind))}
      />
      {chosen.length === 1 && only ? (
        <OneKey key={`${only.touch.id} ${only.i}`} grid={grid} touch={only.touch} shown={only.key} />
      ) : (
        <ManyKeys keys={chosen} grid={grid} />
      )}
      <div className={css.row}>
        <Press gives="copy" onClick={() => give('copy')}>
          Copy
        </Press>
        <Press gives="paste" onClick={() => give('paste')}>
          Paste
        </Press>
        <Press kind="quiet" gives="delete" cap onClick={() => give('delete')}>
          Delete
        </Press>
      </div>
    </div>
  );
}

/** Exact frame and value of a key. */
function OneKey({ grid, touch, shown }: { grid: Grid; touch: Touch; shown: TimedKey }) {
  const set = (time: number, value: number) =>
    hand.changeKeys('set', (key) => ({ ...key, time, value: hand.keyFor(touch, time, value) }));
  const value = hand.shownAt(touch, shown);
  return (
    <div className={css.row}>
      <NumberField
        labelled
        label="frame"
        testId="key-frame"
        digits={2}
        step={1}
        width={78}
        value={grid.first + shown.time * perSecond(grid)}
        onChange={(frame) => set(Math.max(0, timeOf(grid, frame)), value)}
      />
      <NumberField
        labelled
        label="value"
        testId="key-value"
        step={0.01}
        value={value}
        onChange={(v) => set(shown.time, v)}
      />
    </div>
  );
}

/** Many keys: stretched in time about the playhead, scaled in value, moved to other frames. */
function ManyKeys({ keys, grid }: { keys: One[]; grid: Grid }) {
  const times = keys.map(({ key }) => key.time);
  const [low, high] = [Math.min(...times), Math.max(...times)];
  const about = () => {
    const { time } = get();
    return time >= low && time <= high ? time : (low + high) / 2;
  };
  return (
    <>
      <span className={css.note}>
        Drag the box around them on the stave, or type: in time about the playhead.
      </span>
      <div className={css.row}>
        <NumberField
          labelled
          label="in time"
          suffix=" %"
          digits={1}
          step={5}
          width={70}
          value={100}
          onChange={(v) => hand.scaleKeys({ time: v / 100, about: about() })}
        />
        <NumberField
          labelled
          label="in value"
          suffix=" %"
          digits={1}
          step={5}
          width={70}
          value={100}
          testId="scale-value"
          onChange={(v) => hand.scaleKeys({ value: v / 100 })}
        />
      </div>
      <NumberField
        labelled
        label="from frame"
        digits={2}
        step={1}
        width={78}
        value={grid.first + low * perSecond(grid)}
        onChange={(frame) => {
          const by = timeOf(grid, frame) - low;
          hand.changeKeys('move', (key) => ({ ...key, time: Math.max(0, key.time + by) }));
        }}
      />
    </>
  );
}

/** How strongly the touch is laid, how it comes and goes, and whether it adds to the automatic curve. */
function TouchPart({ touch, grid }: { touch: Touch; grid: Grid }) {
  const rate = perSecond(grid);
  return (
    <div className={css.column}>
      <h3>The touch</h3>
      <Choice
        wide
        label="How the keys are laid"
        value={touch.laid}
        options={[
          ['add', 'added to it'],
          ['replace', 'in its place'],
        ]}
        onChange={(laid) => hand.layAs(laid)}
      />
      <div className={css.slides}>
        <SlideRow
          title="Amount"
          value={touch.amount}
          high={2}
          usual={1}
          testId="touch-amount"
          onChange={(amount, goesOn) => hand.settle('change the amount of', { amount }, goesOn)}
        />
        <SlideRow
          title="Fade in"
          value={touch.fade_in * rate}
          high={24}
          unit={{ factor: 1, suffix: ' fr', digits: 1 }}
          onChange={(v, goesOn) => hand.settle('fade in', { fade_in: v / rate }, goesOn)}
        />
        <SlideRow
          title="Fade out"
          value={touch.fade_out * rate}
          high={24}
          unit={{ factor: 1, suffix: ' fr', digits: 1 }}
          onChange={(v, goesOn) => hand.settle('fade out', { fade_out: v / rate }, goesOn)}
        />
      </div>
      <span className={css.note}>
        The thin curve is the automatic one. If the word moves, these keys move with it.
      </span>
    </div>
  );
}
