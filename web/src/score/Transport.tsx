import { Popover, Slider } from '@mantine/core';
import { IconVolume, IconVolumeOff } from '@tabler/icons-react';
import { useRef } from 'react';
import type { Grid, LineView } from '../api/client';
import { give } from '../commands';
import { remember, useSettings } from '../settings';
import { useView } from '../state';
import { Press } from '../widgets/Press';
import { useFrame } from '../widgets/useFrame';
import { Overview } from './staves/Overview';
import * as player from './player';
import { SendFace } from './SendFace';
import { frameAt, rateName } from './time';
import css from './Transport.module.css';

/** Playing, stepping, where we are in frames and seconds, and the whole line. */
export function Transport({ line, grid }: { line: LineView; grid: Grid }) {
  const playing = useView((s) => s.playing);
  const loop = useView((s) => s.loop);
  const speed = useView((s) => s.speed);
  const compare = useView((s) => s.compare);
  const frame = useRef<HTMLSpanElement>(null);
  const time = useRef<HTMLSpanElement>(null);
  // Numbers that change with every picture are written without React.
  useFrame(() => {
    const now = player.now();
    const [f, t] = [`${frameAt(grid, now)}`, `${now.toFixed(2)} s`];
    if (frame.current && frame.current.textContent !== f) frame.current.textContent = f;
    if (time.current && time.current.textContent !== t) time.current.textContent = t;
  });
  return (
    <div className={css.transport} role="toolbar" aria-label="Playing">
      <Press kind="main" gives="play" cap className={css.play} testId="play" onClick={player.toggle}>
        {playing ? 'Stop' : 'Play'}
      </Press>
      <Press gives="frameBack" aria-label="−1 frame" onClick={() => give('frameBack')}>
        −1
      </Press>
      <Press gives="frameOn" aria-label="+1 frame" onClick={() => give('frameOn')}>
        +1
      </Press>
      <Press gives="loop" pressed={loop !== null} testId="loop" onClick={() => give('loop')}>
        Loop
      </Press>
      <Press gives="speed" pressed={speed !== 1} testId="speed" onClick={player.nextSpeed}>
        {speed === 1 ? '1×' : speed === 0.5 ? '½×' : '¼×'}
      </Press>
      <Volume />
      <SendFace />
      <span className={css.frame} ref={frame} data-testid="frame">
        {grid.first}
      </span>
      <span className={css.where}>
        <span ref={time} data-testid="time" /> · {rateName(grid)} fps
      </span>
      {compare && (
        <Press kind="quiet" pressed gives="compare" testId="compare" onClick={() => give('compare')}>
          {compare.how === 'split'
            ? `now | ${compare.name}`
            : compare.how === 'then'
              ? compare.name
              : 'as it is now'}
        </Press>
      )}
      <Press kind="quiet" gives="fitChosen" className={css.push} onClick={() => give('fitChosen')}>
        To the chosen
      </Press>
      <Press kind="quiet" gives="whole" onClick={() => give('whole')}>
        Whole line
      </Press>
      <Overview line={line} />
    </div>
  );
}

function Volume() {
  const volume = useSettings((s) => s.volume);
  const muted = useSettings((s) => s.muted);
  const off = muted || volume === 0;
  return (
    <Popover position="top" width={190}>
      <Popover.Target>
        <Press
          kind="quiet"
          aria-label={`Volume, ${off ? 'off' : `${Math.round(volume * 100)} %`}`}
          testId="volume"
          hint="Volume"
        >
          {off ? <IconVolumeOff size={17} /> : <IconVolume size={17} />}
        </Press>
      </Popover.Target>
      <Popover.Dropdown>
        <div className={css.volume}>
          <Slider
            thumbLabel="Volume"
            min={0}
            max={1}
            step={0.01}
            value={muted ? 0 : volume}
            onChange={(value) => remember({ volume: value, muted: false })}
          />
          <Press kind="chip" gives="mute" pressed={muted} onClick={() => give('mute')}>
            off
          </Press>
        </div>
      </Popover.Dropdown>
    </Popover>
  );
}
