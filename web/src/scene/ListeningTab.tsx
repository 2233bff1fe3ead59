import { Checkbox } from '@mantine/core';
import type { Reaction, SceneActor, SceneView } from '../api/client';
import { openScene } from '../score/open';
import * as player from '../score/player';
import { timeOf } from '../score/time';
import { Choice } from '../widgets/Choice';
import { NumberField } from '../widgets/NumberField';
import { Pick } from '../widgets/Pick';
import { Press } from '../widgets/Press';
import { SECONDS, SlideRow } from '../widgets/SlideRow';
import { change, chosenReaction, dropReaction, frameOf, keyOf, putReaction, strip, useStrip } from './data';
import { wordsOf } from './Strip';
import { useSettled } from './useSettled';
import css from './ScenePage.module.css';

/** How somebody listens: by rule, and what a hand has changed of it. */
export function ListeningTab({ scene }: { scene: SceneView }) {
  const listener = useStrip((s) => s.listener);
  const reaction = chosenReaction(
    scene,
    useStrip((s) => s.chosen),
  );
  const actor = scene.actors.find((a) => a.character === listener) ?? scene.actors[0];
  if (!actor) return <p className="soft">Nobody stands on this stage yet.</p>;
  return (
    <>
      {scene.actors.length > 1 && (
        <Choice
          label="Who listens"
          wide
          testId="who-listens"
          value={actor.character}
          options={scene.actors.map((a) => [a.character, a.title] as const)}
          onChange={(listener) => strip({ listener, chosen: null })}
        />
      )}
      {reaction && reaction.character === actor.character && <One scene={scene} reaction={reaction} />}
      <Rule key={actor.character} scene={scene} actor={actor} />
      <Does scene={scene} actor={actor} />
    </>
  );
}

function Rule({ scene, actor }: { scene: SceneView; actor: SceneActor }) {
  const { character, listens } = actor;
  // Over what is there when it is its turn: another slider may have been moved just before.
  const send = (by: Partial<typeof listens>) =>
    void change(() => {
      const now = openScene()?.actors.find((a) => a.character === character)?.listens;
      return now ? { do: 'listen', character, listens: { ...now, ...by } } : null;
    });
  const looks = useSettled((looks: number) => send({ looks }));
  const after = useSettled((after: number) => send({ after }));
  const nods = useSettled((nods: number) => send({ nods }));
  const blinks = useSettled((blinks: number) => send({ blinks }));
  /** The line that is reacted to at the playhead. */
  const here = () => {
    const now = player.now();
    const before = scene.turns.filter((t) => t.start <= now);
    const turn = before[before.length - 1] ?? scene.turns[0];
    return turn && { entry: turn.entry, from: now - turn.start };
  };
  const put = (does: Reaction['does'], length: number) => {
    const at = here();
    if (!at) return;
    const { entry, from } = at;
    void change({
      do: 'react',
      reaction: { character, entry, from, to: from + length, does, instead: null },
    });
  };
  return (
    <>
      <SlideRow
        title="Looks at who speaks"
        about="For how many phrases the eyes are on who speaks"
        value={listens.looks}
        usual={0.8}
        wide
        testId="looks"
        onChange={looks}
      />
      <SlideRow
        title="After"
        about="From the start of a line until the eyes go to who says it"
        value={listens.after}
        high={1.5}
        usual={0.2}
        unit={SECONDS}
        wide
        onChange={after}
      />
      <SlideRow
        title="Nods at phrase ends"
        value={listens.nods}
        usual={0.4}
        wide
        testId="nods"
        onChange={nods}
      />
      <SlideRow
        title="Blinks"
        about="100 % is as people do who listen: some twenty a minute"
        value={listens.blinks}
        high={2}
        usual={1}
        wide
        onChange={blinks}
      />
      <Checkbox
        label="Takes a breath before an own line"
        checked={listens.breath}
        onChange={(event) => send({ breath: event.currentTarget.checked })}
      />
      <div className={css.fields}>
        <Press testId="another-draw" onClick={() => void change({ do: 'another_draw', character })}>
          Another draw
        </Press>
        <Press
          kind="quiet"
          testId="by-rule"
          disabled={actor.by_hand === 0}
          onClick={() => {
            strip({ chosen: null });
            void change({ do: 'back_to_rule', character });
          }}
        >
          All by rule again{actor.by_hand > 0 ? ` (${actor.by_hand})` : ''}
        </Press>
      </div>
      <div className={css.fields}>
        <span className="soft small">At the playhead</span>
        <Press
          kind="chip"
          testId="put-look"
          onClick={() => put({ kind: 'look', at: lookedAt(scene, character) }, 1)}
        >
          a look
        </Press>
        <Press kind="chip" testId="put-nod" onClick={() => put({ kind: 'nod', degrees: 5 }, 0.3)}>
          a nod
        </Press>
        <Press kind="chip" testId="put-blink" onClick={() => put({ kind: 'blink' }, 0.2)}>
          a blink
        </Press>
      </div>
    </>
  );
}

/** Everything that a character does while others speak, in order. */
function Does({ scene, actor }: { scene: SceneView; actor: SceneActor }) {
  const chosen = useStrip((s) => (s.chosen?.what === 'reaction' ? s.chosen.key : null));
  if (actor.reactions.length === 0) return null;
  return (
    <>
      <h2>What {actor.title} does</h2>
      <ul className={css.does} data-testid="does">
        {actor.reactions.map((r) => {
          const key = keyOf(r);
          return (
            <li key={key}>
              <button
                aria-pressed={chosen === key}
                onClick={() => {
                  strip({ chosen: { what: 'reaction', key } });
                  player.seek(Math.max(0, r.from));
                }}
              >
                <span>{frameOf(scene, r.from)}</span>
                {wordsOf(scene, r)}
                {r.id != null && <em>by hand</em>}
              </button>
            </li>
          );
        })}
      </ul>
    </>
  );
}

/** Somebody else on the stage. */
const lookedAt = (scene: SceneView, character: string) =>
  scene.actors.find((a) => a.character !== character)?.character ?? null;

/** One thing that a listener does: when, and what. */
function One({ scene, reaction: r }: { scene: SceneView; reaction: Reaction }) {
  const put = (by: Partial<Reaction>) => void putReaction(scene, r, by);
  const others = scene.actors.filter((a) => a.character !== r.character);
  return (
    <section className={css.chosen} data-testid="chosen-reaction">
      <h2>
        {wordsOf(scene, r)} <span className="soft small">{r.id == null ? 'by rule' : 'by hand'}</span>
      </h2>
      <div className={css.fields}>
        <NumberField
          labelled
          label="From frame"
          testId="reaction-from"
          value={frameOf(scene, r.from)}
          low={scene.grid.first}
          digits={0}
          step={1}
          width={80}
          onChange={(f) => {
            const from = timeOf(scene.grid, Math.round(f));
            put({ from, to: from + (r.to - r.from) });
          }}
        />
        {r.does.kind !== 'blink' && (
          <NumberField
            labelled
            label="to"
            testId="reaction-to"
            value={frameOf(scene, r.to)}
            low={frameOf(scene, r.from)}
            digits={0}
            step={1}
            width={80}
            onChange={(f) => put({ to: timeOf(scene.grid, Math.round(f)) })}
          />
        )}
      </div>
      {r.does.kind === 'look' && (
        <Pick
          labelled
          label="Looks at"
          testId="looks-at"
          value={r.does.at ?? ''}
          options={[['', 'nobody: beside the lens'], ...others.map((a) => [a.character, a.title] as const)]}
          onChange={(at) => put({ does: { kind: 'look', at: at || null } })}
        />
      )}
      {r.does.kind === 'nod' && (
        <NumberField
          labelled
          label="Degrees down"
          value={r.does.degrees}
          low={-30}
          high={30}
          digits={1}
          step={0.5}
          onChange={(degrees) => put({ does: { kind: 'nod', degrees } })}
        />
      )}
      <div className={css.fields}>
        <Press
          kind="quiet"
          gives="delete"
          onClick={() => {
            void dropReaction(r);
            strip({ chosen: null });
          }}
        >
          Take out
        </Press>
      </div>
    </section>
  );
}
