import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { act, gestureOf } from '../../api/act';
import { type LineView, type Op, type OperationView, type RegionName, api, queries } from '../../api/client';
import { REGIONS } from '../../cast/words';
import { get, set, useView } from '../../state';
import { Popover } from '@mantine/core';
import { Choice } from '../../widgets/Choice';
import { Hint } from '../../widgets/Hint';
import { Press } from '../../widgets/Press';
import { RegionPick } from '../../widgets/RegionPick';
import { SECONDS, SlideRow } from '../../widgets/SlideRow';
import { TextField } from '../../widgets/TextField';
import { tell } from '../../widgets/tell';
import { choose, chosenSpan, idsOf } from '../chosen';
import { deleteTouches } from '../deleting';
import { snapped } from '../hand';
import css from './bench.module.css';
import hand from './HandBench.module.css';
import { LayerBar } from './layerParts';
import { BringMotion } from './BringMotion';
import { PassRecorder } from './PassRecorder';

/** The bench: passes, poses, and what hands laid over the curves. */
export function HandBench({ line }: { line: LineView }) {
  return (
    <section className={css.bench} aria-label="By hand" data-testid="hand-bench">
      <LayerBar line={line} layer="hand" title="By hand" />
      <PassRecorder line={line} />
      <Passes line={line} />
      <div className={css.column}>
        <Neutral line={line} />
        <Poses line={line} />
      </div>
    </section>
  );
}

function Passes({ line }: { line: LineView }) {
  const { id: lineId } = line.summary;
  const passes = new Map<number, LineView['touches']>();
  for (const touch of line.touches) {
    if (!touch.pass || touch.aside) continue;
    passes.set(touch.pass.id, [...(passes.get(touch.pass.id) ?? []), touch]);
  }
  const chosen = useView((s) => s.chosen);
  const loop = useView((s) => s.loop);
  const span = loop ?? chosenSpan(line, chosen);
  const change = (
    touches: number[],
    what: Omit<Extract<Op, { do: 'change_pass' }>, 'do' | 'touches'>,
    gesture?: string,
  ) => void act(lineId, { do: 'change_pass', touches, ...what }, { gesture });
  return (
    <div className={css.column}>
      <div className={css.row}>
        <h3>Passes</h3>
        <BringMotion line={line} />
      </div>
      {passes.size === 0 && (
        <span className={css.note}>None yet. A pass is one live recording; it lies under the guard.</span>
      )}
      {[...passes].map(([pass, touches]) => {
        const ids = touches.map((t) => t.id);
        const [first] = touches;
        const name = first?.pass?.name ?? '';
        const own = ids.some((id) => idsOf(chosen, 'touches').includes(id));
        return (
          <div key={pass} className={hand.pass} data-chosen={own || undefined} data-testid={`pass-${name}`}>
            <div className={css.row}>
              <Press kind="quiet" pressed={own} onClick={() => choose({ what: 'touches', ids })}>
                <b>{name}</b>
              </Press>
              <span className="soft small">
                {touches.length === 1 ? 'one curve' : `${touches.length} curves`}
              </span>
              <Choice
                label={`How ${name} is laid`}
                value={first?.laid ?? 'add'}
                options={[
                  ['add', 'added'],
                  ['replace', 'in place'],
                ]}
                onChange={(laid) => change(ids, { laid })}
              />
            </div>
            <SlideRow
              title="Amount"
              value={first?.amount ?? 1}
              high={2}
              usual={1}
              onChange={(amount, goesOn) => change(ids, { amount }, gestureOf(`pass ${pass} amount`, goesOn))}
            />
            <div className={css.row}>
              <Press onClick={() => change(ids, { smooth: 0.08 })}>Smooth</Press>
              <Press
                testId={`trim-${name}`}
                hint={
                  span
                    ? `Keep only ${span.start.toFixed(2)} to ${span.end.toFixed(2)} s of it`
                    : 'Choose a word or loop a range first: the pass is cut to it'
                }
                disabled={!span}
                onClick={() => span && change(ids, { trim: span })}
              >
                Trim
              </Press>
              <Press onClick={() => void act(lineId, { do: 'mirror', touches: ids })}>Mirror</Press>
              <Press kind="quiet" testId={`drop-${name}`} onClick={() => deleteTouches(ids)}>
                Delete
              </Press>
            </div>
          </div>
        );
      })}
    </div>
  );
}

/** Faces that the production keeps: kept from the playhead, struck there with keys, at any amount. */
function Poses({ line }: { line: LineView }) {
  const { id } = line.summary;
  const poses = useQuery({ queryKey: ['poses'], queryFn: api.poses });
  const [amount, setAmount] = useState(1);
  const kept = (answer: ReturnType<typeof api.poses>) =>
    answer.then((all) => queries.setQueryData(['poses'], all)).catch(tell);
  return (
    <>
      <h3>Poses</h3>
      <TextField
        label="Name of a pose"
        placeholder="keep the face here as …"
        testId="pose-name"
        onSubmit={(name) => void kept(api.keepPose(name, id, get().time, []))}
      >
        {(text) => (
          <Press type="submit" disabled={!text.trim()} testId="keep-pose">
            Keep
          </Press>
        )}
      </TextField>
      {poses.data && poses.data.length > 0 && (
        <>
          <SlideRow
            title="Strike at"
            about="How much of a pose is struck"
            value={amount}
            usual={1}
            onChange={setAmount}
          />
          {poses.data.map((pose) => (
            <div key={pose.name} className={`${css.row ?? ''} ${css.between ?? ''}`}>
              <span>{pose.name}</span>
              <span className={css.row}>
                <Press
                  testId={`strike-${pose.name}`}
                  hint="Keys at the playhead; curves come to it and leave it"
                  onClick={() => {
                    set({ listed: 'touched' });
                    void act(id, { do: 'strike', pose: pose.name, time: get().time, amount });
                  }}
                >
                  Strike here
                </Press>
                <Press kind="quiet" onClick={() => void kept(api.forgetPose(pose.name))}>
                  Delete
                </Press>
              </span>
            </div>
          ))}
        </>
      )}
    </>
  );
}

/** Lets the face come to rest at the playhead, as one thing that is moved and copied like a pass. */
function Neutral({ line }: { line: LineView }) {
  const [regions, setRegions] = useState<RegionName[]>(REGIONS);
  const [ease, setEase] = useState(0.25);
  const [hold, setHold] = useState(0.3);
  return (
    <>
      <Hint says="The face, or the chosen parts, comes to rest, stays and goes back: one thing on the stave By hand, which is dragged, copied and deleted as one.">
        <h3>Neutral here</h3>
      </Hint>
      <div className={css.row}>
        <Press
          testId="neutral"
          disabled={regions.length === 0}
          onClick={() => {
            const own = regions.length === REGIONS.length ? [] : regions;
            void act(line.summary.id, {
              do: 'neutral',
              time: snapped(get().time),
              regions: own,
              ease,
              hold,
            }).then((answer) => answer && choose({ what: 'touches', ids: touchesMade(answer) }));
          }}
        >
          Neutral here
        </Press>
        <Popover width={270} position="bottom-end">
          <Popover.Target>
            <Press kind="quiet">
              {regions.length === REGIONS.length ? 'whole face …' : `${regions.length} parts …`}
            </Press>
          </Popover.Target>
          <Popover.Dropdown>
            <div className={css.column}>
              <RegionPick label="What comes to rest" on={regions} onChange={setRegions} />
              <SlideRow
                title="Ease"
                about="How long it takes to come, and to go"
                value={ease}
                high={1}
                unit={SECONDS}
                usual={0.25}
                onChange={setEase}
              />
              <SlideRow
                title="Stays"
                about="How long it rests"
                value={hold}
                high={3}
                unit={SECONDS}
                usual={0.3}
                onChange={setHold}
              />
            </div>
          </Popover.Dropdown>
        </Popover>
      </div>
    </>
  );
}

/** The touches among what an operation made new: it makes the pass's number, too. */
const touchesMade = ({ line, made }: OperationView) =>
  line.touches.flatMap((t) => (made.includes(t.id) ? [t.id] : []));
