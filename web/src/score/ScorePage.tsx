import { useElementSize } from '@mantine/hooks';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef } from 'react';
import { fetchLine } from '../api/act';
import { type CastMember, type Grid, type LineView, api } from '../api/client';
import { want } from '../api/live';
import { fit } from '../commands';
import { remember, settings, useSettings } from '../settings';
import { get, set, useView } from '../state';
import { Asked } from '../widgets/Asked';
import { Divider } from '../widgets/Divider';
import { useFrame } from '../widgets/useFrame';
import { Bench } from './Bench';
import { stillThere } from './chosen';
import * as player from './player';
import css from './ScorePage.module.css';
import { FilmView, filmAddress } from './FilmView';
import { SpeakingStage } from './SpeakingStage';
import { arrange } from '../stage/arrange';
import { StageTools } from '../stage/StageTools';
import { Staves } from './staves/Staves';
import { frameAt } from './time';
import { Transport } from './Transport';

/** The usual shares: of the height that stage and bench take, of the width that the stage takes. */
const UPPER = 0.42;
const STAGE = 0.385;

const within = (share: number, least: number, most: number) => Math.min(most, Math.max(least, share));

export function ScorePage() {
  const id = useView((s) => s.line);
  const line = useQuery({ queryKey: ['line', id], queryFn: () => fetchLine(id ?? 0), enabled: id !== null });
  const cast = useQuery({ queryKey: ['cast'], queryFn: api.cast });
  return (
    <Asked query={line}>
      {(line) => <Asked query={cast}>{(cast) => <Score line={line} cast={cast} grid={line.grid} />}</Asked>}
    </Asked>
  );
}

function Score({ line, cast, grid }: { line: LineView; cast: CastMember[]; grid: Grid }) {
  const host = useRef<HTMLElement>(null);
  const held = useRef({ upper: UPPER, stage: STAGE });
  const full = useView((s) => s.full);
  const upper = useSettings((s) => s.upper) ?? UPPER;
  const stage = useSettings((s) => s.stage) ?? STAGE;
  const { id, duration, idle } = line.summary;
  useEffect(() => {
    want(id, duration);
    fit();
    set({ curves: [], chosen: null, compare: null, pointing: false });
    return player.stop;
  }, [id, duration]);
  useEffect(() => {
    const { chosen } = get();
    const there = stillThere(line, chosen);
    if (there !== chosen) set({ chosen: there });
  }, [line]);
  const { listen } = line.document;
  const { voice } = line;
  useEffect(() => {
    void player.load(id, voice, listen);
    // Idle motion is looked at as it is used: round and round.
    if (idle) set({ loop: { start: 0, end: duration } });
  }, [id, listen, voice, idle, duration]);

  const hold = () => {
    held.current = { upper: settings().upper ?? UPPER, stage: settings().stage ?? STAGE };
  };
  const shares = { '--upper': `${100 * upper}%`, '--stage': `${100 * stage}%` } as React.CSSProperties;
  return (
    <main className={css.score} ref={host} data-full={full || undefined} style={shares}>
      <div className={css.upper}>
        <div className={css.stages} data-film={line.document.film ? 'yes' : undefined}>
          <StagePart line={line} cast={cast} grid={grid} />
          <FilmView key={filmAddress(line) ?? ''} line={line} />
        </div>
        <Divider
          way="standing"
          label="Width of the stage"
          testId="divider-stage"
          value={100 * stage}
          onHold={hold}
          onMove={(by) =>
            remember({ stage: within(held.current.stage + by / (host.current?.clientWidth ?? 1), 0.15, 0.7) })
          }
          onReset={() => remember({ stage: null })}
        />
        <Bench line={line} cast={cast} grid={grid} />
      </div>
      <Divider
        way="lying"
        label="Height of stage and bench"
        testId="divider-upper"
        value={100 * upper}
        onHold={hold}
        onMove={(by) =>
          remember({ upper: within(held.current.upper + by / (host.current?.clientHeight ?? 1), 0.2, 0.75) })
        }
        onReset={() => remember({ upper: null })}
      />
      <Transport line={line} grid={grid} />
      <Staves line={line} grid={grid} />
    </main>
  );
}

/** The stage of the line: the character, what is written on it, and the ways to look at it. */
function StagePart({ line, cast, grid }: { line: LineView; cast: CastMember[]; grid: Grid }) {
  const compare = useView((s) => s.compare);
  const full = useView((s) => s.full);
  const closeUp = useSettings((s) => s.closeUp);
  const corner = useSettings((s) => s.corner);
  const two = useSettings((s) => s.two);
  const burnIn = useSettings((s) => s.burnIn);
  const member = cast.find((m) => m.key === line.document.character);
  if (!member) {
    return (
      <div className={css.empty}>
        <span>Nobody says this line yet. Choose who does: bench Line, “said by”.</span>
      </div>
    );
  }
  const split = compare?.how === 'split';
  return (
    <SpeakingStage member={member} line={line} wish={{ closeUp, corner, two: two && !split }}>
      <span className={css.note}>{member.name}</span>
      {compare && (
        <span className={css.comparing} data-testid="comparing">
          {split
            ? `left: now · right: ${compare.name}`
            : compare.how === 'then'
              ? `snapshot: ${compare.name}`
              : 'as it is now'}
        </span>
      )}
      {(full || burnIn) && <FrameNote grid={grid} />}
      <CloseUpFrame two={two && !split} />
      <StageTools />
    </SpeakingStage>
  );
}

/** The edge of the mouth's close-up. */
function CloseUpFrame({ two }: { two: boolean }) {
  const closeUp = useSettings((s) => s.closeUp);
  const corner = useSettings((s) => s.corner);
  const { ref, width, height } = useElementSize();
  const frame = arrange({ closeUp, corner, two }, width, height).closeUp;
  const share = (v: number) => `${100 * v}%`;
  return (
    <div className={css.over} ref={ref}>
      {frame && width > 0 && (
        <div
          className={css.closeUp}
          style={{
            left: share(frame.x),
            top: share(frame.y),
            width: share(frame.width),
            height: share(frame.height),
          }}
        />
      )}
    </div>
  );
}

/** Frame and time on the stage, written without React. */
function FrameNote({ grid }: { grid: Grid }) {
  const note = useRef<HTMLSpanElement>(null);
  useFrame(() => {
    const time = player.now();
    const text = `${frameAt(grid, time + 1e-4)} · ${time.toFixed(2)} s`;
    if (note.current && note.current.textContent !== text) note.current.textContent = text;
  });
  return <span className={css.frame} data-testid="frame-note" ref={note} />;
}
