import type { SceneTurn, SceneView } from '../api/client';
import { timeOf } from '../score/time';
import { go } from '../state';
import { NumberField } from '../widgets/NumberField';
import { Pick } from '../widgets/Pick';
import { Press } from '../widgets/Press';
import { SECONDS, SlideRow } from '../widgets/SlideRow';
import { TextField } from '../widgets/TextField';
import { change, chosenTurn, frameOf, strip, titleOf, useStrip } from './data';
import { useSettled } from './useSettled';
import css from './ScenePage.module.css';

/** The scene as a whole, and the line that is chosen. */
export function SceneTab({ scene }: { scene: SceneView }) {
  const turn = chosenTurn(
    scene,
    useStrip((s) => s.chosen),
  );
  const pause = useSettled((pause: number) => void change({ do: 'set', settings: { pause } }));
  const overlaps = scene.turns.filter((t) => t.overlaps);
  const untimed = scene.turns.filter((t) => !t.timed);
  return (
    <>
      {turn && <Line scene={scene} turn={turn} />}
      <h2>Between the lines</h2>
      <SlideRow
        title="Pause"
        about="Between a line and one that follows it; less than none lets them overlap"
        value={scene.pause}
        low={-2}
        high={4}
        usual={0.5}
        unit={SECONDS}
        testId="pause"
        onChange={pause}
      />
      {overlaps.map((t) => (
        <p key={t.entry} className={css.against}>
          {titleOf(scene, t.speaker)} still says another line when {t.name ?? t.number} starts; move one of
          them.
        </p>
      ))}
      {untimed.map((t) => (
        <p key={t.entry} className={css.against}>
          Line {t.name ?? t.number} has no times yet: it is heard, but nobody says it. Let it be analysed.
        </p>
      ))}
      <h2>Name</h2>
      <TextField
        key={scene.name}
        label="Name of the scene"
        testId="scene-name"
        value={scene.name}
        onSubmit={(name) => void change({ do: 'rename', name })}
      >
        {(text) =>
          text.trim() !== scene.name && (
            <Press type="submit" disabled={!text.trim()}>
              Rename
            </Press>
          )
        }
      </TextField>
    </>
  );
}

/** The chosen line: when it starts, to whom it is said, where it stands in the order. */
function Line({ scene, turn: t }: { scene: SceneView; turn: SceneTurn }) {
  const own = scene.entries.find((e) => e.id === t.entry);
  const place = scene.entries.findIndex((e) => e.id === t.entry);
  const to = own?.to ?? { who: 'rule' };
  const value = to.who === 'character' ? `to ${to.character}` : to.who;
  const others = scene.actors.filter((a) => a.character !== t.speaker);
  const move = (by: number) => {
    const entries = scene.entries.map((e) => e.id);
    const [moved] = entries.splice(place, 1);
    if (moved === undefined) return;
    entries.splice(place + by, 0, moved);
    void change({ do: 'order_lines', entries });
  };
  return (
    <section className={css.chosen} data-testid="chosen-line">
      <h2>
        Line {t.name ?? t.number}, {titleOf(scene, t.speaker)}
      </h2>
      <div className={css.fields}>
        <NumberField
          labelled
          label="Starts at frame"
          testId="start-frame"
          value={frameOf(scene, t.start)}
          low={scene.grid.first}
          digits={0}
          step={1}
          width={84}
          onChange={(frame) =>
            void change({ do: 'start', entry: t.entry, start: timeOf(scene.grid, Math.round(frame)) })
          }
        />
        {t.put ? (
          <Press
            kind="quiet"
            testId="follow"
            hint="It starts when the line before it is over, after the pause"
            onClick={() => void change({ do: 'start', entry: t.entry, start: null })}
          >
            Let it follow
          </Press>
        ) : (
          <span className="soft small">follows the line before</span>
        )}
      </div>
      <Pick
        labelled
        label="Said to"
        testId="said-to"
        value={value}
        options={[
          ['rule', 'who spoke before, or speaks next'],
          ['score', 'as its own score looks'],
          ...others.map((a) => [`to ${a.character}`, a.title] as const),
        ]}
        onChange={(next) =>
          void change({
            do: 'say_to',
            entry: t.entry,
            to: next.startsWith('to ')
              ? { who: 'character', character: next.slice(3) }
              : { who: next as 'rule' | 'score' },
          })
        }
      />
      <div className={css.fields}>
        <Press kind="quiet" onClick={() => go('score', t.line)}>
          Open its score
        </Press>
        <Press kind="quiet" disabled={place <= 0} onClick={() => move(-1)}>
          Earlier
        </Press>
        <Press kind="quiet" disabled={place >= scene.entries.length - 1} onClick={() => move(1)}>
          Later
        </Press>
        <Press
          kind="quiet"
          gives="delete"
          onClick={() => {
            void change({ do: 'remove_lines', entries: [t.entry] });
            strip({ chosen: null });
          }}
        >
          Take out
        </Press>
      </div>
    </section>
  );
}
