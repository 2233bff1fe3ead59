import { fetchLine } from '../api/act';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef } from 'react';
import { type Grid, type LineView, api } from '../api/client';
import { want } from '../api/live';
import { fit } from '../commands';
import { type LayerName, set, useView } from '../state';
import { CheckPanel } from './CheckPanel';
import { CurvePanel } from './CurvePanel';
import { DictionPanel } from './DictionPanel';
import { EyesPanel } from './EyesPanel';
import { HandPanel } from './HandPanel';
import { HeadPanel } from './HeadPanel';
import { LinePanel } from './LinePanel';
import { MoodPanel } from './MoodPanel';
import { SelectionPanel } from './SelectionPanel';
import { SpeakingStage } from './SpeakingStage';
import { Staves } from './Staves';
import { StepsPanel } from './StepsPanel';
import { Transport } from './Transport';
import { WhyPanel } from './WhyPanel';
import * as player from './player';
import { frameAt } from './time';

const SIDES = [
  ['line', 'Line'],
  ['steps', 'Steps'],
  ['why', 'Why'],
  ['check', 'Check'],
] as const;

export function ScorePage() {
  const id = useView((s) => s.line);
  const line = useQuery({ queryKey: ['line', id], queryFn: () => fetchLine(id ?? 0), enabled: id !== null });
  const diction = useView((s) => s.diction);
  const open = useView((s) => s.open);
  const control = useView((s) => s.control);
  const compare = useView((s) => s.compare);
  const full = useView((s) => s.full);
  const side = useView((s) => s.side);
  const layer = useView((s) => s.layer);
  const cast = useQuery({ queryKey: ['cast'], queryFn: api.cast });
  const production = useQuery({ queryKey: ['production'], queryFn: api.production });
  const duration = line.data?.summary.duration;

  useEffect(() => {
    if (id === null || duration === undefined) return;
    want(id, duration);
    fit();
    set({ control: null, keys: [], compare: null, layer: null, pointing: false });
    return player.stop;
  }, [id, duration]);
  const listen = line.data?.document.listen;
  const voice = line.data?.voice;
  useEffect(() => {
    if (id !== null && listen && voice) void player.load(id, voice, listen);
  }, [id, listen, voice]);

  if (line.error) {
    return <main style={{ padding: 30 }}>{line.error.message}</main>;
  }
  if (!line.data || !production.data || !cast.data) {
    return <main style={{ padding: 30 }} className="soft" aria-busy="true" />;
  }
  const member = cast.data.find((m) => m.name === line.data.document.character);
  return (
    <main className="score" data-full={full || undefined}>
      <div className="upper">
        {member ? (
          <SpeakingStage member={member} line={line.data} inset>
            <span className="note" style={{ left: 14, top: 10 }}>
              {member.name}
            </span>
            {compare?.how === 'split' && <div className="split-line" />}
            {compare && (
              <span className="note" style={{ left: 14, bottom: 10 }} data-testid="comparing">
                {compare.how === 'split'
                  ? `left: now · right: ${compare.name}`
                  : compare.how === 'then'
                    ? `snapshot: ${compare.name}`
                    : 'as it is now'}
              </span>
            )}
            {full && <FrameNote grid={production.data.grid} />}
            <span className="note" style={{ right: '2%', top: '48.5%' }}>
              Mouth, locked to the head
            </span>
          </SpeakingStage>
        ) : (
          <div className="stage">
            <span className="note" style={{ left: 14, top: 10 }}>
              Choose who says this line, at the right.
            </span>
          </div>
        )}
        {diction ? (
          <DictionPanel key={`diction ${line.data.summary.id}`} line={line.data} />
        ) : layer ? (
          <LayerPanel line={line.data} name={layer.name} id={layer.id} />
        ) : open && control ? (
          <CurvePanel line={line.data} grid={production.data.grid} control={control} />
        ) : (
          <SelectionPanel line={line.data} grid={production.data.grid} />
        )}
        <div className="beside">
          <div className="beside-tabs" role="tablist" aria-label="About the line">
            {SIDES.map(([name, title]) => (
              <button
                key={name}
                role="tab"
                aria-selected={side === name}
                data-testid={`side-${name}`}
                onClick={() => set({ side: name })}
              >
                {title}
              </button>
            ))}
          </div>
          {side === 'line' ? (
            <LinePanel key={line.data.summary.id} line={line.data} cast={cast.data} />
          ) : side === 'steps' ? (
            <StepsPanel key={`steps ${line.data.summary.id}`} line={line.data} />
          ) : side === 'check' ? (
            <CheckPanel line={line.data} grid={production.data.grid} />
          ) : (
            <WhyPanel line={line.data} grid={production.data.grid} />
          )}
        </div>
      </div>
      <Transport line={line.data} grid={production.data.grid} />
      <Staves line={line.data} grid={production.data.grid} />
    </main>
  );
}

/** Frame and time on the stage, written without React. */
function FrameNote({ grid }: { grid: Grid }) {
  const note = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    let running = true;
    const tick = () => {
      if (!running) return;
      const time = player.now();
      const text = `${frameAt(grid, time + 1e-4)} · ${time.toFixed(2)} s`;
      if (note.current && note.current.textContent !== text) note.current.textContent = text;
      requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
    return () => {
      running = false;
    };
  }, [grid]);
  return <span className="note frame-note" data-testid="frame-note" ref={note} />;
}

/** The bench of a layer. */
function LayerPanel({ line, name, id }: { line: LineView; name: LayerName; id: number | null }) {
  switch (name) {
    case 'mood':
      return <MoodPanel line={line} id={id} />;
    case 'eyes':
      return <EyesPanel line={line} id={id} />;
    case 'head':
      return <HeadPanel line={line} id={id} />;
    case 'hand':
      return <HandPanel line={line} id={id} />;
  }
}
