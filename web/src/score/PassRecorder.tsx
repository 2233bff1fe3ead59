import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { act } from '../api/act';
import { type ControlName, type LineView, type RegionName, api } from '../api/client';
import { REGIONS } from '../cast/words';
import { perform, performNothing, performedControls } from '../api/live';
import { set } from '../state';
import { Slide } from './LayerParts';
import * as player from './player';

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

  // While it plays, where the pen is is taken with every picture, at the moment that is heard.
  useEffect(() => {
    if (state === 'idle' || state === 'done') return;
    let running = true;
    const since = performance.now();
    let played = false;
    const tick = () => {
      if (!running) return;
      const time = player.now();
      const [x, y, down] = pen.current;
      perform({ perform: id, time, laid, pad: padName, x, y, regions });
      if (dot.current) {
        dot.current.style.left = `${50 + 50 * x}%`;
        dot.current.style.top = `${50 - 50 * y}%`;
      }
      if (state === 'recording') {
        if (player.isPlaying()) {
          played = true;
          taken.current.push({ time, place: [x, y, down], face: performedControls() });
        } else if (played || performance.now() - since > 1500) {
          stop(taken.current.length > 1 ? 'done' : 'idle');
          return;
        }
      }
      requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
    return () => {
      running = false;
    };
  }, [state, id, laid, padName, regions]);
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

  return (
    <div className="recorder-pass">
      <div className="sound-part-row">
        <b>Perform</b>
        <select
          className="field small"
          aria-label="What the pad moves"
          data-testid="pad-name"
          value={padName}
          disabled={state !== 'idle'}
          onChange={(e) => setPadName(e.target.value)}
        >
          {pads.data?.map((p) => (
            <option key={p.name}>{p.name}</option>
          ))}
          <option value="capture">capture</option>
        </select>
        <select
          className="field small"
          aria-label="How the pass is laid"
          value={laid}
          disabled={state !== 'idle'}
          onChange={(e) => setLaid(e.target.value as 'add' | 'replace')}
        >
          <option value="add">added</option>
          <option value="replace">in place</option>
        </select>
      </div>
      {padName === 'capture' && (
        <div className="chips" aria-label="What of the captured face is taken">
          {REGIONS.map((region) => (
            <button
              key={region}
              className="chip"
              aria-pressed={regions.length === 0 || regions.includes(region)}
              onClick={() => {
                const now = regions.length === 0 ? REGIONS : regions;
                const next = now.includes(region) ? now.filter((r) => r !== region) : [...now, region];
                setRegions(next.length === REGIONS.length ? [] : next);
              }}
            >
              {region}
            </button>
          ))}
        </div>
      )}
      <div
        className="pad"
        data-testid="pad"
        data-state={state}
        role="application"
        aria-label={pad ? `Pad: ${pad.about}` : 'Pad'}
        onPointerMove={(event) => {
          const rect = event.currentTarget.getBoundingClientRect();
          const within = (v: number) => Math.max(-1, Math.min(1, v));
          pen.current = [
            within(((event.clientX - rect.left) / rect.width) * 2 - 1),
            within(1 - ((event.clientY - rect.top) / rect.height) * 2),
            event.buttons > 0,
          ];
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
        {state === 'idle' && (
          <span>
            {pad?.about ??
              'a face that another program captures and sends; jamlips stand-in capture tries it'}
          </span>
        )}
        {state === 'done' && <span>{length.toFixed(1)} s performed</span>}
      </div>
      <div className="sound-part-row">
        {state === 'done' ? (
          <>
            <button className="button main" data-testid="keep-pass" onClick={() => void keep()}>
              Keep it
            </button>
            <button className="button" onClick={() => setState('idle')}>
              Throw away
            </button>
            <button className="button" onClick={start}>
              Once more
            </button>
          </>
        ) : state === 'idle' ? (
          <button className="button main" data-testid="perform" onClick={start}>
            Count in and perform
          </button>
        ) : (
          <button
            className="button"
            data-testid="stop-pass"
            onClick={() => {
              player.stop();
              stop(taken.current.length > 1 ? 'done' : 'idle');
            }}
          >
            Stop
          </button>
        )}
      </div>
      <div className="diction">
        <Slide
          title="Earlier by"
          value={late}
          high={0.3}
          onChange={setLate}
          show={(v) => `${Math.round(v * 1000)} ms`}
        />
        <Slide
          title="Smooth"
          value={smooth}
          high={0.3}
          onChange={setSmooth}
          show={(v) => `${Math.round(v * 1000)} ms`}
        />
      </div>
    </div>
  );
}
