import { useRef, useState } from 'react';
import type { LayerSettings, LineView, RegionName } from '../api/client';
import { REGIONS } from '../cast/words';
import { type LayerName, set } from '../state';
import {
  type LayerKey,
  change,
  changeSettings,
  drawSpan,
  levelHere,
  remove,
  removeSpan,
  spansOf,
} from './layers';

/** A slider of which every move is sent; a drag is one step. */
export function Slide({
  title,
  about,
  value,
  low = 0,
  high = 1,
  show,
  testId,
  onChange,
}: {
  title: string;
  about?: string;
  value: number;
  low?: number;
  high?: number;
  show?: (value: number) => string;
  testId?: string;
  onChange: (value: number, goesOn: boolean) => void;
}) {
  const moving = useRef(false);
  const [held, setHeld] = useState<{ value: number; from: number } | null>(null);
  // What is dragged is shown until the line itself has another value.
  const now = held && held.from === value ? held.value : value;
  return (
    <label title={about}>
      <span>{title}</span>
      <input
        type="range"
        min={low}
        max={high}
        step={(high - low) / 100}
        value={now}
        data-testid={testId}
        onPointerDown={() => {
          moving.current = false;
        }}
        onChange={(event) => {
          const next = Number(event.target.value);
          setHeld({ value: next, from: value });
          onChange(next, moving.current);
          moving.current = true;
        }}
      />
      <span className="num">{show ? show(now) : `${Math.round(now * 100)} %`}</span>
    </label>
  );
}

/** Parts of the face that each layer may move. */
const PARTS: Record<LayerKey, RegionName[]> = {
  mouth: ['jaw', 'lips', 'tongue'],
  mood: REGIONS,
  eyes: ['gaze', 'lids', 'brows'],
  head: ['head'],
  hand: REGIONS,
};

/** How much of a look the head does: asked for with the eyes and with the head. */
export function HeadShare({ value }: { value: number }) {
  return (
    <Slide
      title="Head’s share"
      about="How much of a look the head does; 50 % is as people do"
      value={value}
      onChange={(head_share, on) => changeSettings({ head_share }, on)}
    />
  );
}

/** The head of a span's bench: what it is, from when to when, and away with it. */
export function SpanHead({
  line,
  name,
  id,
  children,
}: {
  line: LineView;
  name: LayerName;
  id: number;
  children: React.ReactNode;
}) {
  const own = spansOf(line, name).find((s) => s.id === id);
  if (!own) return null;
  const { start, end } = own.span;
  return (
    <>
      <div className="layer-head">
        {children}
        <button className="button" style={{ marginLeft: 'auto' }} onClick={removeSpan}>
          Take out
        </button>
      </div>
      <div className="sound-part-row">
        <Moment title="from" value={start} onSet={(to) => drawSpan(name, id, { start: to, end })} />
        <Moment title="to" value={end} onSet={(to) => drawSpan(name, id, { start, end: to })} />
      </div>
    </>
  );
}

/** A moment in seconds, typed. */
function Moment({ title, value, onSet }: { title: string; value: number; onSet: (to: number) => void }) {
  const [text, setText] = useState<string | null>(null);
  const done = () => {
    const to = Number(text?.replace(',', '.'));
    if (text !== null && Number.isFinite(to) && Math.abs(to - value) > 5e-4) onSet(Math.max(0, to));
    setText(null);
  };
  return (
    <label className="soft">
      {title}{' '}
      <input
        className="field small num"
        style={{ width: 66 }}
        inputMode="decimal"
        aria-label={`${title}, seconds`}
        value={text ?? value.toFixed(3)}
        onChange={(event) => setText(event.target.value)}
        onBlur={done}
        onKeyDown={(event) => {
          if (event.key === 'Enter') done();
          if (event.key === 'Escape') setText(null);
        }}
      />{' '}
      s
    </label>
  );
}

/** The head of a layer's bench: whether it plays, alone, and how much. */
export function LayerHead({ line, layer, title }: { line: LineView; layer: LayerKey; title: string }) {
  const own = line.layers.settings[layer];
  const levels = line.layers.levels.filter((l) => l.layer === layer);
  const changeLayer = (next: Partial<LayerSettings['mood']>, goesOn = false) =>
    void change({ do: 'layer', layer, change: next }, `${layer} ${Object.keys(next).join(' ')}`, goesOn);
  return (
    <>
      <div className="layer-head">
        <h2>{title}</h2>
        <button
          className="chip"
          style={{ marginLeft: 'auto' }}
          aria-pressed={own.on}
          data-testid={`plays-${layer}`}
          title="Whether this layer plays"
          onClick={() => changeLayer({ on: !own.on })}
        >
          {own.on ? 'plays' : 'silent'}
        </button>
        <button
          className="chip"
          aria-pressed={own.alone}
          title="Only this layer plays"
          onClick={() => changeLayer({ alone: !own.alone })}
        >
          alone
        </button>
        {layer !== 'mouth' && (
          <button className="quiet" onClick={() => set({ layer: null })}>
            Close
          </button>
        )}
      </div>
      <div className="diction">
        <Slide
          title="Amount"
          value={own.amount}
          high={2}
          onChange={(amount, goesOn) => changeLayer({ amount }, goesOn)}
        />
      </div>
      <details className="layer-more">
        <summary data-testid={`more-${layer}`}>Over time, and where</summary>
        <div className="sound-part-row">
          <button
            className="button"
            data-testid={`level-here-${layer}`}
            title="A handle on the stave: from the playhead on it plays as much as the handle is high"
            onClick={() => levelHere(layer)}
          >
            Level here
          </button>
          {levels.length > 0 && (
            <button className="quiet" onClick={() => remove(levels.map((l) => l.id))}>
              Throughout
            </button>
          )}
          {layer !== 'hand' && (
            <button
              className="quiet"
              style={{ marginLeft: 'auto' }}
              title="Other small things of this layer alone: another draw of the line’s seed"
              onClick={() => changeLayer({ draw: (own.draw ?? 0) + 1 })}
            >
              Shuffle
            </button>
          )}
        </div>
        <div className="chips" aria-label="Parts of the face that this layer moves">
          {PARTS[layer].map((region) => {
            const without = own.without ?? [];
            const moved = !without.includes(region);
            return (
              <button
                key={region}
                className="chip"
                aria-pressed={moved}
                title={moved ? `Let ${title} leave the ${region} alone` : `Let ${title} move the ${region}`}
                onClick={() =>
                  changeLayer({
                    without: moved ? [...without, region] : without.filter((r) => r !== region),
                  })
                }
              >
                {region}
              </button>
            );
          })}
        </div>
      </details>
    </>
  );
}
