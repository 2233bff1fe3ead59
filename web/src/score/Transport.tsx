import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef } from 'react';
import { type Grid, type LineView, api } from '../api/client';
import { fit, fitSelection, loopWord, stepFrames } from '../commands';
import { set, useView } from '../state';
import { switchCompare } from './compare';
import { styleOf } from './DictionPanel';
import * as player from './player';
import { frameAt, rateName } from './time';

interface Props {
  line: LineView;
  grid: Grid;
}

/** Playing, stepping, and where we are in frames and seconds. */
export function Transport({ line, grid }: Props) {
  const playing = useView((s) => s.playing);
  const loop = useView((s) => s.loop);
  const word = useView((s) => s.selected.word);
  const sound = useView((s) => s.selected.sound);
  const diction = useView((s) => s.diction);
  const speed = useView((s) => s.speed);
  const compare = useView((s) => s.compare);
  const table = useQuery({ queryKey: ['diction'], queryFn: api.dictions, staleTime: Infinity });
  const frame = useRef<HTMLSpanElement>(null);
  const time = useRef<HTMLSpanElement>(null);

  // Numbers that change with every picture are written without React.
  useEffect(() => {
    let running = true;
    const tick = () => {
      if (!running) return;
      const now = player.now();
      if (frame.current) frame.current.textContent = `${frameAt(grid, now)}`;
      if (time.current) time.current.textContent = `${now.toFixed(2)} s`;
      requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
    return () => {
      running = false;
    };
  }, [grid]);

  const { summary } = line;
  return (
    <div className="transport">
      <button className="button main" style={{ width: 108 }} onClick={player.toggle} data-testid="play">
        {playing ? 'Stop' : 'Play'}
        <kbd className="key">Space</kbd>
      </button>
      <button
        className="button"
        onClick={() => stepFrames(-1)}
        title="One frame back (comma)"
        aria-label="One frame back"
      >
        −1
      </button>
      <button
        className="button"
        onClick={() => stepFrames(1)}
        title="One frame on (dot)"
        aria-label="One frame on"
      >
        +1
      </button>
      <button
        className="button"
        aria-pressed={loop !== null}
        disabled={!loop && word === null}
        onClick={loopWord}
        title={loop || word !== null ? 'Loop the selected word (L)' : 'Choose a word to loop'}
      >
        Loop word
      </button>
      <button
        className="button"
        aria-pressed={speed !== 1}
        data-testid="speed"
        onClick={player.nextSpeed}
        title="Full speed, half, a quarter; the pitch stays (\\)"
      >
        {speed === 1 ? '1×' : speed === 0.5 ? '½×' : '¼×'}
      </button>
      <span className="frame-number" ref={frame} data-testid="frame">
        {grid.first}
      </span>
      <span className="soft where">
        <span ref={time} data-testid="time" /> · {rateName(grid)} fps · first frame {grid.first} · sound ends{' '}
        {summary.last_sound_frame}
      </span>
      <span className="right">
        {compare && (
          <button
            className="quiet"
            aria-pressed
            data-testid="compare"
            title="Side by side, the snapshot alone, the line as it is (Tab)"
            onClick={switchCompare}
          >
            {compare.how === 'split'
              ? `now | ${compare.name}`
              : compare.how === 'then'
                ? compare.name
                : 'as it is now'}
          </button>
        )}
        <button
          className="quiet"
          onClick={fitSelection}
          disabled={word === null && sound === null}
          title="Show what is selected (F)"
        >
          Selection
        </button>
        <button className="quiet" onClick={fit} title="Show the whole line (0)">
          Whole line
        </button>
        <button
          className="quiet"
          aria-pressed={diction}
          data-testid="diction"
          title="How the line is articulated (O)"
          onClick={() => set({ diction: !diction })}
        >
          Diction: {styleOf(line.document.diction, table.data?.styles ?? [])}
        </button>
      </span>
    </div>
  );
}
