import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { act, gestureOf, isBusy } from '../api/act';
import { type Diction, type LineView, api, tell } from '../api/client';
import { perform, performNothing } from '../api/live';
import { Microphone } from '../lines/microphone';
import { set } from '../state';
import { LayerHead } from './LayerParts';
import { ReachSlider } from './ReachSlider';

const same = (a: Diction, b: Diction) => JSON.stringify(a) === JSON.stringify(b);

/** The style that a diction is, or what is left of it. */
export function styleOf(diction: Diction, styles: { name: string; diction: Diction }[]): string {
  return styles.find((s) => same(s.diction, diction))?.name ?? 'own';
}

/** The bench: how the line is articulated. Curves follow while a slider is dragged. */
export function DictionPanel({ line }: { line: LineView }) {
  const { id } = line.summary;
  const table = useQuery({ queryKey: ['diction'], queryFn: api.dictions, staleTime: Infinity });
  const saved = line.document.diction;
  const [held, setHeld] = useState<Diction | null>(null);
  const shown = held ?? saved;
  const send = (next: Partial<Diction>, goesOn: boolean) => {
    setHeld({ ...shown, ...next });
    const gesture = gestureOf(`diction ${Object.keys(next).join(' ')}`, goesOn);
    void act(id, { do: 'diction', change: next }, { gesture }).then(() => {
      if (!isBusy(id)) setHeld(null);
    });
  };
  /** The slider that was moved last: moving it on is one step with before. */
  const moved = useRef('');
  const change = (name: string, value: number) => {
    send({ [name]: value }, moved.current === name);
    moved.current = name;
  };
  if (!table.data) return <section className="panel" aria-label="Diction" />;
  const style = styleOf(shown, table.data.styles);
  return (
    <section className="panel" aria-label="Diction">
      <div style={{ display: 'flex', alignItems: 'baseline', gap: 8, flexWrap: 'wrap' }}>
        <h2>Diction</h2>
        <select
          className="field small"
          style={{ marginLeft: 'auto' }}
          aria-label="Style"
          data-testid="style"
          value={style}
          onChange={(event) => {
            const chosen = table.data.styles.find((s) => s.name === event.target.value);
            if (!chosen) return;
            moved.current = '';
            send(chosen.diction, false);
          }}
        >
          {style === 'own' && <option value="own">own</option>}
          {table.data.styles.map((s) => (
            <option key={s.name} value={s.name}>
              {s.name}
            </option>
          ))}
        </select>
        <select
          className="field small"
          aria-label="What moves the mouth"
          title="The sounds of the words, or the voice’s loudness alone: for creatures and toys"
          data-testid="drive"
          value={shown.drive ?? 'sounds'}
          onChange={(event) => {
            moved.current = '';
            send({ drive: event.target.value as Diction['drive'] }, false);
          }}
        >
          <option value="sounds">by its sounds</option>
          <option value="loudness">by loudness alone</option>
        </select>
        <button className="quiet" onClick={() => set({ diction: false })}>
          Close
        </button>
      </div>
      <div className="diction">
        {table.data.settings.map((setting) => {
          const value = Number(shown[setting.name as keyof Diction]);
          return (
            <label key={setting.name} title={setting.about}>
              <span>{setting.title}</span>
              <input
                type="range"
                min={setting.low}
                max={setting.high}
                step={(setting.high - setting.low) / 100}
                value={value}
                data-testid={`diction-${setting.name}`}
                onPointerDown={() => {
                  moved.current = '';
                }}
                onChange={(event) => change(setting.name, Number(event.target.value))}
              />
              <span className="num">{value.toFixed(2)}</span>
            </label>
          );
        })}
      </div>
      {shown.drive === 'loudness' && <LiveVoice line={id} duration={line.summary.duration} />}
      <div className="soft">How far kinds of sounds go</div>
      <div className="diction wide">
        {line.reach
          .filter((r) => r.of.kind === 'kind')
          .map((r) => (
            <ReachSlider key={r.title} line={line} of={r.of} title={r.title} />
          ))}
      </div>
      <LayerHead line={line} layer="mouth" title="Mouth" />
    </section>
  );
}

/** The jaw follows the microphone, live; the line itself is not changed. */
function LiveVoice({ line, duration }: { line: number; duration: number }) {
  const [on, setOn] = useState(false);
  useEffect(() => {
    if (!on) return;
    const microphone = new Microphone();
    let running = true;
    let meter = 0;
    const tick = () => {
      if (!running) return;
      // Up at once, down more slowly, as a level meter goes.
      meter = Math.max(microphone.level(), meter * 0.8);
      const time = (performance.now() / 1000) % Math.max(duration, 0.1);
      const y = Math.max(-96, 20 * Math.log10(Math.max(meter, 1e-5)));
      perform({ perform: line, time, laid: 'replace', pad: 'voice', x: 0, y, regions: [] });
      requestAnimationFrame(tick);
    };
    microphone
      .open()
      .then(() => requestAnimationFrame(tick))
      .catch((error: unknown) => {
        setOn(false);
        tell(error);
      });
    return () => {
      running = false;
      microphone.close();
      performNothing();
    };
  }, [on, line, duration]);
  return (
    <button className="button" aria-pressed={on} data-testid="live-voice" onClick={() => setOn(!on)}>
      {on ? 'Stop listening' : 'Live from the microphone'}
    </button>
  );
}
