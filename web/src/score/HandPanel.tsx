import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { act, gestureOf } from '../api/act';
import { type LineView, type Op, api, queries, tell } from '../api/client';
import { get, set, useView } from '../state';
import { wordOf } from './draw';
import { LayerHead, Slide } from './LayerParts';
import { PassRecorder } from './PassRecorder';

/** The bench: passes, poses, and what hands laid over the curves. */
export function HandPanel({ line, id }: { line: LineView; id: number | null }) {
  const { id: lineId } = line.summary;
  const passes = new Map<number, LineView['touches']>();
  for (const touch of line.touches) {
    if (!touch.pass || touch.aside) continue;
    passes.set(touch.pass.id, [...(passes.get(touch.pass.id) ?? []), touch]);
  }
  const chosen = line.touches.find((t) => t.id === id);
  const loop = useView((s) => s.loop);
  const word = useView((s) => s.selected.word);
  const stretch = loop ?? wordOf(line, word)?.span ?? null;
  const change = (touches: number[], what: Omit<Extract<Op, { do: 'change_pass' }>, 'do' | 'touches'>) =>
    void act(lineId, { do: 'change_pass', touches, ...what });
  return (
    <section className="panel tight" aria-label="By hand" data-testid="hand-panel">
      <LayerHead line={line} layer="hand" title="By hand" />
      <PassRecorder line={line} />
      {[...passes].map(([pass, touches]) => {
        const ids = touches.map((t) => t.id);
        const [first] = touches;
        const name = first?.pass?.name ?? '';
        return (
          <div
            key={pass}
            className="pass"
            data-chosen={chosen?.pass?.id === pass || undefined}
            data-testid={`pass-${name}`}
          >
            <div className="sound-part-row">
              <b>{name}</b>
              <span className="soft">{touches.length} curves</span>
              <button
                className="chip"
                title="Added to what is there, or in its place"
                onClick={() => change(ids, { laid: first?.laid === 'add' ? 'replace' : 'add' })}
              >
                {first?.laid === 'add' ? 'added' : 'in place'}
              </button>
              <button className="quiet" onClick={() => change(ids, { smooth: 0.08 })}>
                Smooth
              </button>
              <button
                className="quiet"
                data-testid={`trim-${name}`}
                title={
                  stretch
                    ? `Keep only ${stretch.start.toFixed(2)} to ${stretch.end.toFixed(2)} s of it`
                    : 'Select a word or a loop first: the pass is cut to it'
                }
                disabled={!stretch}
                onClick={() => stretch && change(ids, { trim: stretch })}
              >
                Trim
              </button>
              <button className="quiet" onClick={() => void act(lineId, { do: 'mirror', touches: ids })}>
                Mirror
              </button>
              <button
                className="quiet"
                data-testid={`drop-${name}`}
                onClick={() =>
                  void act(lineId, { do: 'touches', remove: ids, what: `throw the pass ${name} away` })
                }
              >
                Throw away
              </button>
            </div>
            <div className="diction">
              <Slide
                title="Amount"
                value={first?.amount ?? 1}
                high={2}
                onChange={(amount, goesOn) => {
                  const gesture = gestureOf(`pass ${pass} amount`, goesOn);
                  void act(lineId, { do: 'change_pass', touches: ids, amount }, { gesture });
                }}
              />
            </div>
          </div>
        );
      })}
      <Poses line={line} />
    </section>
  );
}

/** Faces that the production keeps: kept from the playhead, struck there with keys, at any amount. */
function Poses({ line }: { line: LineView }) {
  const { id } = line.summary;
  const poses = useQuery({ queryKey: ['poses'], queryFn: api.poses });
  const [name, setName] = useState('');
  const [amount, setAmount] = useState(1);
  const kept = (answer: ReturnType<typeof api.poses>) =>
    answer.then((all) => queries.setQueryData(['poses'], all)).catch(tell);
  return (
    <>
      <form
        className="sound-part-row"
        onSubmit={(event) => {
          event.preventDefault();
          if (name.trim()) void kept(api.keepPose(name.trim(), id, get().time, []));
          setName('');
        }}
      >
        <b>Poses</b>
        <input
          className="field small"
          style={{ flex: 1, minWidth: 70 }}
          placeholder="the face here, as …"
          aria-label="Name of a pose"
          data-testid="pose-name"
          value={name}
          onChange={(event) => setName(event.target.value)}
        />
        <button className="button" disabled={!name.trim()} data-testid="keep-pose">
          Keep
        </button>
      </form>
      {poses.data && poses.data.length > 0 && (
        <>
          <div className="diction">
            <Slide title="Strike at" value={amount} onChange={setAmount} />
          </div>
          {poses.data.map((pose) => (
            <div key={pose.name} className="sound-part-row">
              <span style={{ flex: 1 }}>{pose.name}</span>
              <button
                className="button"
                data-testid={`strike-${pose.name}`}
                title="Keys at the playhead; curves come to it and leave it"
                onClick={() => {
                  set({ listed: 'touched' });
                  void act(id, { do: 'strike', pose: pose.name, time: get().time, amount });
                }}
              >
                Strike here
              </button>
              <button className="quiet" onClick={() => void kept(api.forgetPose(pose.name))}>
                Forget
              </button>
            </div>
          ))}
        </>
      )}
    </>
  );
}
