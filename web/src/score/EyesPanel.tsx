import { useState } from 'react';
import type { BlinkShape, LayerSettings, LineView, Look } from '../api/client';
import { set } from '../state';
import { HeadShare, LayerHead, Slide, SpanHead } from './LayerParts';
import * as layers from './layers';
import { addLook, blinkHere, changeSettings, removeSpan } from './layers';

const SHAPES: [BlinkShape, string][] = [
  ['natural', 'natural'],
  ['calm', 'calm: 3 frames down, 3 up'],
  ['quick', 'quick: 1 down, 2 shut, 2 up'],
  ['heavy', 'heavy'],
  ['half', 'half'],
];

/** The bench: blinks, looks and marks, or the look or blink that is chosen. */
export function EyesPanel({ line, id }: { line: LineView; id: number | null }) {
  const look = line.layers.looks.find((l) => l.id === id);
  const blink = line.layers.blinks.find((b) => b.id === id);
  return (
    <section className="panel tight" aria-label="Eyes" data-testid="eyes-panel">
      {look ? (
        <OneLook line={line} look={look} />
      ) : blink ? (
        <>
          <div style={{ display: 'flex', gap: 8, alignItems: 'center' }}>
            <h2>Blink</h2>
            <button className="button" style={{ marginLeft: 'auto' }} onClick={removeSpan}>
              Take out
            </button>
          </div>
          <label className="soft">
            shape{' '}
            <select
              className="field small"
              value={blink.shape}
              onChange={(e) =>
                void layers.change({ do: 'change_blink', id: blink.id, shape: e.target.value as BlinkShape })
              }
            >
              {SHAPES.map(([value, name]) => (
                <option key={value} value={value}>
                  {name}
                </option>
              ))}
            </select>
          </label>
          <span className="soft">
            By hand, shut at {blink.at.toFixed(2)} s; drag it on the stave. It keeps blinks by rule away.
          </span>
        </>
      ) : (
        <Eyes line={line} />
      )}
    </section>
  );
}

function Eyes({ line }: { line: LineView }) {
  const { settings } = line.layers;
  const { blinks } = settings;
  const changeBlinks = (next: Partial<LayerSettings['blinks']>, on = false) =>
    void layers.change({ do: 'blinks', change: next }, Object.keys(next).join(' '), on);
  return (
    <>
      <LayerHead line={line} layer="eyes" title="Eyes" />
      <div className="sound-part-row">
        <label>
          <select
            className="field small"
            style={{ width: 94 }}
            aria-label="Where blinks come from"
            title="Where blinks come from"
            data-testid="blink-mode"
            value={blinks.mode}
            onChange={(e) => changeBlinks({ mode: e.target.value as typeof blinks.mode })}
          >
            <option value="auto">by rule</option>
            <option value="pattern">in a pattern</option>
            <option value="off">by hand</option>
          </select>
        </label>
        <select
          className="field small"
          style={{ width: 82, flexShrink: 0 }}
          aria-label="Shape of blinks"
          title="Shape of blinks"
          value={blinks.shape}
          onChange={(e) => changeBlinks({ shape: e.target.value as BlinkShape })}
        >
          {SHAPES.map(([value, name]) => (
            <option key={value} value={value}>
              {name}
            </option>
          ))}
        </select>
        <button className="button" data-testid="blink-here" onClick={() => blinkHere()}>
          Blink here
        </button>
      </div>
      {blinks.mode === 'pattern' && <Pattern blinks={blinks} change={changeBlinks} />}
      <div className="diction">
        {blinks.mode === 'auto' && (
          <Slide
            title="How often"
            about="100 % is as people do: 26 a minute while they talk"
            value={blinks.rate}
            high={2}
            onChange={(rate, on) => changeBlinks({ rate }, on)}
          />
        )}
        <Slide
          title="Brows, voice"
          about="Brows and lids on stressed words"
          value={settings.brows}
          high={2}
          onChange={(brows, on) => changeSettings({ brows }, on)}
        />
        <HeadShare value={settings.head_share} />
      </div>
      <Marks settings={settings} />
      <div className="chips" aria-label="Add a look over the selected word, or the phrase at the playhead">
        {settings.marks.map((mark) => (
          <button
            key={mark.id}
            className="chip"
            data-testid={`look-${mark.name}`}
            onClick={() => addLook({ kind: 'face', mark: mark.id })}
          >
            {mark.name}
          </button>
        ))}
        <button className="chip" onClick={() => addLook({ kind: 'think' })}>
          think
        </button>
        {settings.marks.length >= 4 && (
          <button
            className="chip"
            onClick={() =>
              addLook({
                kind: 'between',
                one: settings.marks[2]?.id ?? 0,
                other: settings.marks[3]?.id ?? 0,
              })
            }
          >
            between two
          </button>
        )}
      </div>
    </>
  );
}

/** When the lids shut in a pattern, and how long it is. */
function Pattern({
  blinks,
  change,
}: {
  blinks: LayerSettings['blinks'];
  change: (next: Partial<LayerSettings['blinks']>) => void;
}) {
  const [text, setText] = useState(blinks.pattern.join(' '));
  return (
    <form
      className="sound-part-row"
      onSubmit={(event) => {
        event.preventDefault();
        const pattern = text
          .split(/[\s,;]+/)
          .filter(Boolean)
          .map(Number);
        change({ pattern });
      }}
    >
      <label className="soft">
        every{' '}
        <input
          className="field small"
          style={{ width: 62 }}
          type="number"
          min={0.5}
          max={120}
          step={0.5}
          value={blinks.pattern_length}
          onChange={(e) => change({ pattern_length: Number(e.target.value) })}
        />{' '}
        s, at
      </label>
      <input
        className="field small"
        style={{ flex: 1, minWidth: 80 }}
        aria-label="When the lids shut, in seconds"
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <button className="button">Set</button>
    </form>
  );
}

/** The marks by name: pressed, one is looked at; the one that was looked at last can be renamed, typed and taken out. */
function Marks({ settings }: { settings: LayerSettings }) {
  const [own, setOwn] = useState<number | null>(null);
  const { marks } = settings;
  const mark = marks.find((m) => m.id === own);
  const move = (next: { yaw?: number; pitch?: number }) =>
    mark &&
    void layers.change({ do: 'change_mark', id: mark.id, at: { yaw: mark.yaw, pitch: mark.pitch, ...next } });
  const number = (title: string, value: number, most: number, set: (v: number) => void) => (
    <label className="soft">
      {title}{' '}
      <input
        key={value}
        className="field small num"
        style={{ width: 62 }}
        type="number"
        min={-most}
        max={most}
        step={0.5}
        defaultValue={value}
        aria-label={`${title}, degrees`}
        onBlur={(e) => {
          const v = Math.max(-most, Math.min(most, Number(e.target.value)));
          if (Number.isFinite(v) && v !== value) set(v);
        }}
        onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
      />
      °
    </label>
  );
  return (
    <>
      <div className="sound-part-row">
        <b title="They stand on the stage, to be dragged about">Marks</b>
        <select
          className="field small"
          style={{ flex: 1, minWidth: 80 }}
          aria-label="A mark to be changed"
          value={own ?? ''}
          onChange={(e) => setOwn(Number(e.target.value) || null)}
        >
          <option value="">drag them, or choose …</option>
          {marks.map((m) => (
            <option key={m.id} value={m.id}>
              {m.name}
            </option>
          ))}
        </select>
        <button
          className="button"
          data-testid="point"
          title="The next click on the stage makes a mark and lets them look there"
          onClick={() => set({ pointing: true })}
        >
          Point …
        </button>
        {mark && (
          <button
            className="quiet"
            disabled={marks.length < 2}
            title="What looks at it looks at the first mark instead"
            onClick={() => {
              setOwn(null);
              void layers.change({ do: 'remove_mark', id: mark.id });
            }}
          >
            Take out
          </button>
        )}
      </div>
      {mark && (
        <>
          <div className="sound-part-row">
            {number('left', mark.yaw, 60, (yaw) => move({ yaw }))}
            {number('down', mark.pitch, 40, (pitch) => move({ pitch }))}
          </div>
          <form
            className="sound-part-row"
            onSubmit={(event) => {
              event.preventDefault();
              const name = String(new FormData(event.currentTarget).get('name')).trim();
              if (name && name !== mark.name) void layers.change({ do: 'change_mark', id: mark.id, name });
            }}
          >
            <input
              key={mark.name}
              name="name"
              className="field small"
              style={{ flex: 1, minWidth: 70 }}
              aria-label="Name of the mark"
              defaultValue={mark.name}
              maxLength={60}
            />
            <button className="button">Rename</button>
          </form>
        </>
      )}
    </>
  );
}

function OneLook({ line, look }: { line: LineView; look: LineView['layers']['looks'][number] }) {
  const { does } = look;
  const { marks } = line.layers.settings;
  const change = (next: Look) => void layers.change({ do: 'change_look', id: look.id, look: next });
  const [first = 0, second = first] = marks.map((m) => m.id);
  const kinds: Record<Look['kind'], [string, Look]> = {
    at: ['at a mark', { kind: 'at', mark: first }],
    face: ['at a face', { kind: 'face', mark: first }],
    think: ['thinks, low to one side', { kind: 'think' }],
    between: ['between two', { kind: 'between', one: second, other: first }],
  };
  const pick = (label: string, value: number, onChange: (mark: number) => void) => (
    <label className="soft">
      {label}{' '}
      <select className="field small" value={value} onChange={(e) => onChange(Number(e.target.value))}>
        {marks.map((m) => (
          <option key={m.id} value={m.id}>
            {m.name}
          </option>
        ))}
      </select>
    </label>
  );
  return (
    <>
      <SpanHead line={line} name="eyes" id={look.id}>
        <h2>Look</h2>
      </SpanHead>
      <div className="sound-part-row">
        <select
          className="field small"
          aria-label="How it looks"
          value={does.kind}
          onChange={(e) => change(kinds[e.target.value as Look['kind']][1])}
        >
          {Object.entries(kinds).map(([kind, [title]]) => (
            <option key={kind} value={kind}>
              {title}
            </option>
          ))}
        </select>
        {(does.kind === 'at' || does.kind === 'face') &&
          pick('mark', does.mark, (mark) => change({ kind: does.kind, mark }))}
        {does.kind === 'between' && (
          <>
            {pick('first', does.one, (one) => change({ ...does, one }))}
            {pick('then', does.other, (other) => change({ ...does, other }))}
          </>
        )}
      </div>
      <button
        className="button"
        style={{ alignSelf: 'flex-start' }}
        title="The next click on the stage makes a mark, and this looks there"
        onClick={() => set({ pointing: true })}
      >
        Point on the stage …
      </button>
      <span className="soft">
        The eyes go first, the head follows with its share, and the eyes roll back as it arrives.
      </span>
    </>
  );
}
