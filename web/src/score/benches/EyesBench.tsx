import { useState } from 'react';
import type { BlinkShape, LayerSettings, LineView, Look } from '../../api/client';
import { set, useView } from '../../state';
import { NumberField } from '../../widgets/NumberField';
import { Pick } from '../../widgets/Pick';
import { Press } from '../../widgets/Press';
import { SlideRow } from '../../widgets/SlideRow';
import { TextField } from '../../widgets/TextField';
import { spanIds } from '../chosen';
import { deleteChosen } from '../deleting';
import * as layers from '../layers';
import { addLook, blinkHere, changeSettings } from '../layers';
import css from './bench.module.css';
import { HeadShare, LayerBar, SpanHead } from './layerParts';
import { Over } from './MoodBench';

const SHAPES: [BlinkShape, string][] = [
  ['natural', 'natural'],
  ['calm', 'calm: 3 frames down, 3 up'],
  ['quick', 'quick: 1 down, 2 shut, 2 up'],
  ['heavy', 'heavy'],
  ['half', 'half'],
];

/** The bench: blinks, looks and marks, and the look or blink that is chosen. */
export function EyesBench({ line }: { line: LineView }) {
  const chosen = useView((s) => s.chosen);
  const id = spanIds(chosen, 'eyes').at(-1);
  const look = line.layers.looks.find((l) => l.id === id);
  const blink = line.layers.blinks.find((b) => b.id === id);
  return (
    <section className={css.bench} aria-label="Eyes" data-testid="eyes-bench">
      <LayerBar line={line} layer="eyes" title="Eyes">
        <HeadShare value={line.layers.settings.head_share} />
      </LayerBar>
      <Looks line={line} />
      {look ? (
        <OneLook line={line} look={look} />
      ) : blink ? (
        <OneBlink blink={blink} />
      ) : (
        <Marks settings={line.layers.settings} />
      )}
      <Lids line={line} />
    </section>
  );
}

function Looks({ line }: { line: LineView }) {
  const { marks } = line.layers.settings;
  return (
    <div className={css.column}>
      <div>
        <h3>Look at</h3>
        <Over line={line} />
      </div>
      <div className={css.chips}>
        {marks.map((mark) => (
          <Press
            key={mark.id}
            kind="chip"
            testId={`look-${mark.name}`}
            onClick={() => addLook({ kind: 'face', mark: mark.id })}
          >
            {mark.name}
          </Press>
        ))}
        <Press
          kind="chip"
          hint="Low to one side, as people do while they think"
          onClick={() => addLook({ kind: 'think' })}
        >
          thinks
        </Press>
        {marks.length >= 4 && (
          <Press
            kind="chip"
            hint="Now at one, now at the other"
            onClick={() => addLook({ kind: 'between', one: marks[2]?.id ?? 0, other: marks[3]?.id ?? 0 })}
          >
            between two
          </Press>
        )}
      </div>
      <div className={css.row}>
        <Press
          gives="point"
          cap
          testId="point"
          hint="The next click on the stage makes a mark and lets them look there"
          onClick={() => set({ pointing: true })}
        >
          Point on the stage …
        </Press>
      </div>
      <span className={css.note}>
        The eyes go first, the head follows with its share, and the eyes roll back as it arrives.
      </span>
    </div>
  );
}

function Lids({ line }: { line: LineView }) {
  const { settings } = line.layers;
  const { blinks } = settings;
  const change = (next: Partial<LayerSettings['blinks']>, on = false) =>
    void layers.change({ do: 'blinks', change: next }, Object.keys(next).join(' '), on);
  return (
    <div className={css.column}>
      <h3>Lids and brows</h3>
      <div className={css.row}>
        <Pick
          labelled
          label="blinks"
          testId="blink-mode"
          width={104}
          value={blinks.mode}
          options={[
            ['auto', 'by rule'],
            ['pattern', 'in a pattern'],
            ['off', 'by hand'],
          ]}
          onChange={(mode) => change({ mode })}
        />
        <Pick
          label="Shape of blinks"
          width={86}
          value={blinks.shape}
          options={SHAPES}
          onChange={(shape) => change({ shape })}
        />
      </div>
      {blinks.mode === 'pattern' && <Pattern blinks={blinks} change={change} />}
      <Press gives="blink" cap testId="blink-here" onClick={() => blinkHere()}>
        Blink here
      </Press>
      <div className={css.slides}>
        {blinks.mode === 'auto' && (
          <SlideRow
            title="How often"
            about="100 % is as people do: 26 a minute while they talk"
            value={blinks.rate}
            high={2}
            usual={1}
            onChange={(rate, on) => change({ rate }, on)}
          />
        )}
        <SlideRow
          title="With the voice"
          about="Brows and lids on stressed words"
          value={settings.brows}
          high={2}
          usual={1}
          onChange={(brows, on) => changeSettings({ brows }, on)}
        />
      </div>
    </div>
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
  return (
    <div className={css.row}>
      <NumberField
        labelled
        label="every"
        suffix=" s"
        low={0.5}
        high={120}
        step={0.5}
        value={blinks.pattern_length}
        onChange={(pattern_length) => change({ pattern_length })}
      />
      <span className="soft small">at</span>
      <TextField
        label="When the lids shut, in seconds"
        value={blinks.pattern.join(' ')}
        onSubmit={(text) =>
          change({
            pattern: text
              .split(/[\s,;]+/)
              .filter(Boolean)
              .map(Number),
          })
        }
      />
    </div>
  );
}

function OneBlink({ blink }: { blink: LineView['layers']['blinks'][number] }) {
  return (
    <div className={css.column}>
      <div className={`${css.row ?? ''} ${css.between ?? ''}`}>
        <h3>Blink by hand</h3>
        <Press kind="quiet" gives="delete" cap onClick={deleteChosen}>
          Delete
        </Press>
      </div>
      <NumberField
        labelled
        label="shut at"
        suffix=" s"
        low={0}
        value={blink.at}
        width={78}
        onChange={(time) => void layers.change({ do: 'change_blink', id: blink.id, time })}
      />
      <Pick
        labelled
        label="shape"
        value={blink.shape}
        options={SHAPES}
        onChange={(shape) => void layers.change({ do: 'change_blink', id: blink.id, shape })}
      />
      <span className={css.note}>Drag it on the stave. It keeps blinks by rule away.</span>
    </div>
  );
}

/** The marks by name; one that is chosen can be renamed, placed by numbers and deleted. */
function Marks({ settings }: { settings: LayerSettings }) {
  const { marks } = settings;
  const [own, setOwn] = useState<number | null>(null);
  const mark = marks.find((m) => m.id === own);
  const move = (next: { yaw?: number; pitch?: number }) =>
    mark &&
    void layers.change({ do: 'change_mark', id: mark.id, at: { yaw: mark.yaw, pitch: mark.pitch, ...next } });
  return (
    <div className={css.column}>
      <h3>Marks</h3>
      <span className={css.note}>
        Named spots that can be looked at. They stand on the stage and are dragged there.
      </span>
      <Pick
        label="A mark to be changed"
        value={`${own ?? ''}`}
        options={[['', 'change one …'], ...marks.map((m) => [`${m.id}`, m.name] as [string, string])]}
        onChange={(id) => setOwn(Number(id) || null)}
      />
      {mark && (
        <>
          <TextField
            label="Name of the mark"
            value={mark.name}
            maxLength={60}
            onSubmit={(name) => void layers.change({ do: 'change_mark', id: mark.id, name })}
          >
            {() => <Press type="submit">Rename</Press>}
          </TextField>
          <div className={css.row}>
            <NumberField
              labelled
              label="left"
              suffix="°"
              low={-60}
              high={60}
              step={0.5}
              width={62}
              value={mark.yaw}
              onChange={(yaw) => move({ yaw })}
            />
            <NumberField
              labelled
              label="down"
              suffix="°"
              low={-40}
              high={40}
              step={0.5}
              width={62}
              value={mark.pitch}
              onChange={(pitch) => move({ pitch })}
            />
          </div>
          <Press
            kind="quiet"
            disabled={marks.length < 2}
            hint="What looks at it looks at the first mark instead"
            onClick={() => {
              setOwn(null);
              void layers.change({ do: 'remove_mark', id: mark.id });
            }}
          >
            Delete this mark
          </Press>
        </>
      )}
    </div>
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
    <Pick
      labelled
      label={label}
      value={`${value}`}
      options={marks.map((m) => [`${m.id}`, m.name] as const)}
      onChange={(id) => onChange(Number(id))}
    />
  );
  return (
    <div className={css.column}>
      <SpanHead line={line} name="eyes" id={look.id}>
        <h3>Look</h3>
      </SpanHead>
      <Pick
        label="How it looks"
        value={does.kind}
        options={Object.entries(kinds).map(([kind, [title]]) => [kind as Look['kind'], title] as const)}
        onChange={(kind) => change(kinds[kind][1])}
      />
      {(does.kind === 'at' || does.kind === 'face') &&
        pick('mark', does.mark, (mark) => change({ kind: does.kind, mark }))}
      {does.kind === 'between' && (
        <>
          {pick('first', does.one, (one) => change({ ...does, one }))}
          {pick('then', does.other, (other) => change({ ...does, other }))}
        </>
      )}
    </div>
  );
}
