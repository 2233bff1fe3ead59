import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { act } from '../../api/act';
import { type ControlName, type LineView, type RegionName, api } from '../../api/client';
import { perform, performNothing, performedControls } from '../../api/live';
import { REGIONS } from '../../cast/words';
import { set } from '../../state';
import { Pick } from '../../widgets/Pick';
import { Press } from '../../widgets/Press';
import { RegionPick } from '../../widgets/RegionPick';
import { SlideRow } from '../../widgets/SlideRow';
import { useFrame } from '../../widgets/useFrame';
import * as player from '../player';
import css from './bench.module.css';
import hand from './HandBench.module.css';

const MS = { factor: 1000, suffix: ' ms', digits: 0 };

/** Least seconds between two moments of a pass: a mouse that tells of a thousand a second would pass what is kept. */
const APART = 1 / 120;

/** Seconds between the beats of the count-in. */
const BEAT = 0.6;

type State = 'idle' | 'count' | 'recording' | 'done';
type Place = [number, number, boolean];

/** Records a live pass: a pen or the mouse on a pad whose ways move some controls while the line plays. */
export function PassRecorder({ line }: { line: LineView }) {
  const pads = useQuery({ queryKey: ['pads'], queryFn: api.pads, staleTime: Infinity });
  const [padName, setPadName] = useState('brows');
  const [laid, setLaid] = useState<'add' | 'replace'>('add');
  const [regions, setRegions] = useState<RegionName[]>([]);
  const [late, setLate] = useState(0.06);
  const [smooth, setSmooth] = useState(0.04);
  const [state, setState] = useState<State>('idle');
  const [count, setCount] = useState(3);
  const [length, setLength] = useState(0);
  const pen = useRef<Place>([0, 0, false]);
  const dot = useRef<HTMLElement>(null);
  const taken = useRef<{ time: number; place: Place; face: [ControlName, number][] }[]>([]);
  const pad = pads.data?.find((p) => p.name === padName);
  const { id } = line.summary;

  const stop = (next: State) => {
    const [first] = taken.current;
    setLength((taken.current[taken.current.length - 1]?.time ?? 0) - (first?.time ?? 0));
    performNothing();
    set({ performing: false });
    setState(next);
  };

  const start = () => {
    taken.current = [];
    player.stop();
    setCount(3);
    setState('count');
    set({ performing: true });
  };

  // Three beats, then the line plays from the playhead.
  useEffect(() => {
    if (state !== 'count') return;
    const timer = setTimeout(() => {
      if (count > 1) {
        setCount(count - 1);
        return;
      }
      player.play();
      setState('recording');
    }, BEAT * 1000);
    return () => clearTimeout(timer);
  }, [state, count]);

  /** Takes where the pen is at a moment of the page's own clock, in milliseconds. */
  const take = (moment: number) => {
    const time = player.heardAt(moment);
    const last = taken.current.at(-1);
    if (last && Math.abs(time - last.time) < APART) return;
    taken.current.push({ time, place: pen.current, face: performedControls() });
  };

  // While it plays, where the pen is is taken with every picture and whenever it moved between two, at the moment that
  // was heard: a page that draws slowly loses nothing of a pass.
  const began = useRef({ at: 0, played: false });
  useEffect(() => {
    began.current = { at: performance.now(), played: false };
  }, [state]);
  useFrame(
    () => {
      const time = player.now();
      const [x, y] = pen.current;
      perform({ perform: id, time, laid, pad: padName, x, y, regions });
      if (dot.current) {
        dot.current.style.left = `${50 + 50 * x}%`;
        dot.current.style.top = `${50 - 50 * y}%`;
      }
      if (state !== 'recording') return;
      if (player.isPlaying()) {
        began.current.played = true;
        take(performance.now());
      } else if (began.current.played || performance.now() - began.current.at > 1500) {
        stop(taken.current.length > 1 ? 'done' : 'idle');
      }
    },
    state === 'count' || state === 'recording',
  );
  useEffect(() => () => stop('idle'), []);

  const keep = async () => {
    setState('idle');
    const sent = await act(id, {
      do: 'pass',
      pad: padName,
      taken: taken.current,
      late,
      laid,
      smooth,
      tolerance: 0.015,
    });
    // What could not be kept is still there, to be kept again.
    if (!sent) setState('done');
  };

  const free = state === 'idle';
  return (
    <div className={css.column}>
      <div className={css.row}>
        <h3>Perform</h3>
        <Pick
          label="What the pad moves"
          testId="pad-name"
          width={76}
          value={padName}
          disabled={!free}
          options={[
            ...(pads.data ?? []).map((p) => [p.name, p.name] as const),
            ['capture', 'capture'] as const,
          ]}
          onChange={setPadName}
        />
        <Pick
          label="How the pass is laid"
          width={76}
          value={laid}
          disabled={!free}
          options={[
            ['add', 'added'],
            ['replace', 'in place'],
          ]}
          onChange={setLaid}
        />
      </div>
      {padName === 'capture' && (
        <RegionPick
          label="What of the captured face is taken"
          on={regions.length === 0 ? REGIONS : regions}
          onChange={(next) => setRegions(next.length === REGIONS.length ? [] : next)}
        />
      )}
      <div
        className={hand.pad}
        data-testid="pad"
        data-state={state}
        role="img"
        aria-label={pad ? `Pad: ${pad.about}` : 'Pad'}
        onPointerMove={(event) => {
          const rect = event.currentTarget.getBoundingClientRect();
          const within = (v: number) => Math.max(-1, Math.min(1, v));
          const last = event.nativeEvent;
          // Not every browser tells what lay between two pictures.
          const between = 'getCoalescedEvents' in last ? last.getCoalescedEvents() : [];
          for (const moved of between.length > 0 ? between : [last]) {
            pen.current = [
              within(((moved.clientX - rect.left) / rect.width) * 2 - 1),
              within(1 - ((moved.clientY - rect.top) / rect.height) * 2),
              moved.buttons > 0,
            ];
            if (state === 'recording' && player.isPlaying()) take(moved.timeStamp);
          }
        }}
        onPointerDown={(event) => {
          const [x, y] = pen.current;
          pen.current = [x, y, true];
          event.preventDefault();
        }}
        onPointerUp={() => {
          const [x, y] = pen.current;
          pen.current = [x, y, false];
        }}
      >
        <i ref={dot} />
        {state === 'count' && <strong>{count}</strong>}
        {state === 'recording' && <em>● recording</em>}
        {free && (
          <span>
            {pad?.about ??
              'a face that another program captures and sends; jamlips stand-in capture tries it'}
          </span>
        )}
        {state === 'done' && <span>{length.toFixed(1)} s performed</span>}
      </div>
      <div className={css.row}>
        {state === 'done' ? (
          <>
            <Press kind="main" testId="keep-pass" onClick={() => void keep()}>
              Keep it
            </Press>
            <Press testId="perform-again" onClick={start}>
              Once more
            </Press>
            <Press kind="quiet" onClick={() => setState('idle')}>
              Delete
            </Press>
          </>
        ) : free ? (
          <Press kind="main" testId="perform" onClick={start}>
            Count in and perform
          </Press>
        ) : (
          <Press
            testId="stop-pass"
            onClick={() => {
              player.stop();
              stop(taken.current.length > 1 ? 'done' : 'idle');
            }}
          >
            Stop
          </Press>
        )}
      </div>
      <div className={css.slides}>
        <SlideRow
          title="Earlier by"
          about="How much later than meant hands are: the pass is moved earlier by it"
          value={late}
          high={0.3}
          unit={MS}
          usual={0.06}
          onChange={setLate}
        />
        <SlideRow
          title="Smooth"
          about="Over how long it is smoothed"
          value={smooth}
          high={0.3}
          unit={MS}
          usual={0.04}
          onChange={setSmooth}
        />
      </div>
    </div>
  );
}
