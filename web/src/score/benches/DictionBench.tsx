import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { act, gestureOf } from '../../api/act';
import { type Diction, type LineView, api } from '../../api/client';
import { perform, performNothing } from '../../api/live';
import { Microphone } from '../../lines/microphone';
import { Asked } from '../../widgets/Asked';
import { Pick } from '../../widgets/Pick';
import { Press } from '../../widgets/Press';
import { PLAIN, SlideRow } from '../../widgets/SlideRow';
import { tell } from '../../widgets/tell';
import { useFrame } from '../../widgets/useFrame';
import css from './bench.module.css';
import { LayerBar } from './layerParts';
import { ReachSlider } from './ReachSlider';

const same = (a: Diction, b: Diction) => JSON.stringify(a) === JSON.stringify(b);

/** The style that a diction is, or what is left of it. */
export function styleOf(diction: Diction, styles: { name: string; diction: Diction }[]): string {
  return styles.find((s) => same(s.diction, diction))?.name ?? 'own';
}

/** The bench: how the line is articulated. Curves follow while a slider is dragged. */
export function DictionBench({ line }: { line: LineView }) {
  const { id } = line.summary;
  const table = useQuery({ queryKey: ['diction'], queryFn: api.dictions, staleTime: Infinity });
  const { diction } = line.document;
  const change = (next: Partial<Diction>, goesOn: boolean) => {
    const gesture = gestureOf(`diction ${Object.keys(next).join(' ')}`, goesOn);
    void act(id, { do: 'diction', change: next }, { gesture });
  };
  return (
    <section
      className={`${css.bench ?? ''} ${css.lastWide ?? ''}`}
      aria-label="Diction"
      data-testid="diction-bench"
    >
      <Asked query={table}>
        {({ styles, settings }) => {
          const style = styleOf(diction, styles);
          const half = Math.ceil(settings.length / 2);
          const slides = (part: typeof settings) => (
            <div className={css.slides}>
              {part.map((setting) => (
                <SlideRow
                  key={setting.name}
                  title={setting.title}
                  about={setting.about}
                  low={setting.low}
                  high={setting.high}
                  value={Number(diction[setting.name as keyof Diction])}
                  unit={PLAIN}
                  testId={`diction-${setting.name}`}
                  onChange={(value, goesOn) => change({ [setting.name]: value }, goesOn)}
                />
              ))}
            </div>
          );
          return (
            <>
              <LayerBar line={line} layer="mouth" title="Mouth" still>
                <>
                  <Pick
                    label="Style"
                    testId="style"
                    width={118}
                    value={style}
                    options={[
                      ...(style === 'own' ? [['own', 'own'] as const] : []),
                      ...styles.map((s) => [s.name, s.name] as const),
                    ]}
                    onChange={(name) => {
                      const chosen = styles.find((s) => s.name === name);
                      if (chosen) change(chosen.diction, false);
                    }}
                  />
                  <Pick
                    label="What moves the mouth: the sounds of the words, or the voice’s loudness alone, for creatures and toys"
                    testId="drive"
                    width={122}
                    value={diction.drive ?? 'sounds'}
                    options={[
                      ['sounds', 'by its sounds'],
                      ['loudness', 'by loudness alone'],
                    ]}
                    onChange={(drive) => change({ drive }, false)}
                  />
                </>
              </LayerBar>
              <div className={css.column}>
                <h3>How it is spoken</h3>
                {slides(settings.slice(0, half))}
              </div>
              <div className={css.column}>
                <h3>When, and how strong</h3>
                {slides(settings.slice(half))}
                {diction.drive === 'loudness' && <LiveVoice line={id} duration={line.summary.duration} />}
              </div>
            </>
          );
        }}
      </Asked>
      <div className={css.column}>
        <h3>How far kinds of sounds go</h3>
        <div className={css.slides}>
          {line.reach
            .filter((r) => r.of.kind === 'kind')
            .map((r) => (
              <ReachSlider key={r.title} wide line={line} of={r.of} title={r.title} />
            ))}
        </div>
      </div>
    </section>
  );
}

/** The jaw follows the microphone, live; the line itself is not changed. */
function LiveVoice({ line, duration }: { line: number; duration: number }) {
  const [on, setOn] = useState(false);
  const microphone = useRef(new Microphone());
  const meter = useRef(0);
  useEffect(() => {
    if (!on) return;
    const device = microphone.current;
    device.open().catch((error: unknown) => {
      setOn(false);
      tell(error);
    });
    return () => {
      device.close();
      performNothing();
    };
  }, [on]);
  useFrame(() => {
    // Up at once, down more slowly, as a level meter goes.
    meter.current = Math.max(microphone.current.level(), meter.current * 0.8);
    const time = (performance.now() / 1000) % Math.max(duration, 0.1);
    const y = Math.max(-96, 20 * Math.log10(Math.max(meter.current, 1e-5)));
    perform({ perform: line, time, laid: 'replace', pad: 'voice', x: 0, y, regions: [] });
  }, on);
  return (
    <Press pressed={on} testId="live-voice" onClick={() => setOn(!on)}>
      {on ? 'Stop listening' : 'Live from the microphone'}
    </Press>
  );
}
