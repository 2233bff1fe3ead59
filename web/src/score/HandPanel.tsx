import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { type LineView, api, queries, tell } from '../api/client';
import { get, set, useView } from '../state';
import { LayerHead, Slide } from './LayerParts';
import { PassRecorder } from './PassRecorder';

/** The bench: passes, poses, and what hands laid over the curves. */
export function HandPanel({ line, id }: { line: LineView; id: number | null }) {
  const { id: lineId } = line.summary;
  const passes = new Map<string, LineView['touches']>();
  for (const touch of line.touches) {
    if (!touch.pass || touch.aside) continue;
    passes.set(touch.pass, [...(passes.get(touch.pass) ?? []), touch]);
  }
  const chosen = line.touches.find((t) => t.id === id);
  const loop = useView((s) => s.loop);
  const word = useView((s) => s.selected.word);
  const stretch = loop ?? line.document.timing?.words[word ?? -1]?.span ?? null;
  const show = (answer: Promise<LineView>) =>
    answer.then((view) => queries.setQueryData(['line', lineId], view)).catch(tell);
  return (
    <section className="panel tight" aria-label="By hand" data-testid="hand-panel">
      <LayerHead line={line} layer="hand" title="By hand" />
      <PassRecorder line={line} />
      {[...passes].map(([name, touches]) => {
        const ids = touches.map((t) => t.id);
        const [first] = touches;
        return (
          <div
            key={name}
            className="pass"
            data-chosen={chosen?.pass === name || undefined}
            data-testid={`pass-${name}`}
          >
            <div className="sound-part-row">
              <b>{name}</b>
              <span className="soft">{touches.length} curves</span>
              <button
                className="chip"
                title="Added to what is there, or in its place"
                onClick={() =>
                  void show(
                    api.changePass(lineId, {
                      touches: ids,
                      laid: first?.laid === 'add' ? 'replace' : 'add',
                      goes_on: false,
                    }),
                  )
                }
              >
                {first?.laid === 'add' ? 'added' : 'in place'}
              </button>
              <button
                className="quiet"
                onClick={() =>
                  void show(api.changePass(lineId, { touches: ids, smooth: 0.08, goes_on: false }))
                }
              >
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
                onClick={() =>
                  stretch &&
                  void show(api.changePass(lineId, { touches: ids, trim: stretch, goes_on: false }))
                }
              >
                Trim
              </button>
              <button className="quiet" onClick={() => void show(api.mirror(lineId, ids))}>
                Mirror
              </button>
              <button
                className="quiet"
                data-testid={`drop-${name}`}
                onClick={() =>
                  void show(
                    api.touch(lineId, {
                      put: [],
                      remove: ids,
                      what: `throw the pass ${name} away`,
                      goes_on: false,
                    }),
                  )
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
                onChange={(amount, goes_on) =>
                  void show(api.changePass(lineId, { touches: ids, amount, goes_on }))
                }
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
                  void api
                    .strike(id, pose.name, get().time, amount, [])
                    .then((view) => queries.setQueryData(['line', id], view))
                    .catch(tell);
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
