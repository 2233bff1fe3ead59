import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { type Acting, type LineView, type Mood, type RegionName, api } from '../../api/client';
import { REGIONS } from '../../cast/words';
import { useView } from '../../state';
import { Asked } from '../../widgets/Asked';
import { Pick } from '../../widgets/Pick';
import { Press } from '../../widgets/Press';
import { RegionPick } from '../../widgets/RegionPick';
import { SlideRow } from '../../widgets/SlideRow';
import { Term } from '../../widgets/Term';
import { spanIds, theWord } from '../chosen';
import * as layers from '../layers';
import { MOODS, addMood, changeSettings, keyMood, moodTitle } from '../layers';
import css from './bench.module.css';
import { LayerBar, SpanHead } from './layerParts';
import { Mix } from './MixPart';

const UPPER: RegionName[] = ['cheeks', 'lids', 'brows'];
/** Parts that a mood moves; where the eyes look is theirs. */
const OF_MOODS = REGIONS.filter((r) => r !== 'gaze');

/** The bench: moods, and the one that is chosen. */
export function MoodBench({ line }: { line: LineView }) {
  const chosen = useView((s) => s.chosen);
  const [mixing, setMixing] = useState(false);
  const id = spanIds(chosen, 'mood').at(-1);
  const own = line.layers.moods.find((m) => m.id === id);
  const { settings } = line.layers;
  return (
    <section className={css.bench} aria-label="Mood" data-testid="mood-bench">
      <LayerBar line={line} layer="mood" title="Mood">
        <SlideRow
          tight
          title="Guard"
          about="How far moods and passes give way to the words. Lips always seal on P, B and M."
          value={settings.guard}
          usual={1}
          testId="guard"
          onChange={(guard, goesOn) => changeSettings({ guard }, goesOn)}
        />
      </LayerBar>
      {mixing ? (
        <Mix line={line} onDone={() => setMixing(false)} />
      ) : (
        <>
          <LayMood line={line} onMix={() => setMixing(true)} />
          {own ? <OneMood key={own.id} line={line} mood={own} /> : <Suggestions line={line} />}
        </>
      )}
    </section>
  );
}

/** What something new is laid over, in words. */
export function Over({ line }: { line: LineView }) {
  const chosen = useView((s) => s.chosen);
  const word = theWord(line, chosen);
  return (
    <span className={css.note}>
      over {word ? <>“{word.text}”, which is chosen</> : 'the phrase at the playhead'}
    </span>
  );
}

function LayMood({ line, onMix }: { line: LineView; onMix: () => void }) {
  const poses = useQuery({ queryKey: ['poses'], queryFn: api.poses });
  return (
    <div className={css.column}>
      <div>
        <h3>Lay a mood</h3>
        <Over line={line} />
      </div>
      <div className={css.chips}>
        {MOODS.map((mood) => (
          <Press key={mood} kind="chip" testId={`add-${mood}`} onClick={() => addMood(mood)}>
            {mood}
          </Press>
        ))}
        {poses.data?.map((pose) => (
          <Press
            key={pose.name}
            kind="chip"
            hint="A face that the production keeps"
            onClick={() => addMood({ pose })}
          >
            {pose.name}
          </Press>
        ))}
      </div>
      <div className={css.row}>
        <Press testId="mix" onClick={onMix}>
          Mix your own …
        </Press>
        <Press
          kind="quiet"
          hint="Other nods, blinks and differences of the sides, by another seed of the line"
          onClick={() => changeSettings({ seed: line.layers.settings.seed + 1 })}
        >
          Shuffle small things
        </Press>
      </div>
    </div>
  );
}

function Suggestions({ line }: { line: LineView }) {
  const timed = line.document.timing != null;
  const feelings = useQuery({
    queryKey: ['feelings', line.summary.id, line.document.text],
    queryFn: () => api.feelings(line.summary.id),
    enabled: timed,
  });
  return (
    <div className={css.column} style={{ gridColumn: 'span 2' }}>
      <h3>What voice and words suggest</h3>
      {!timed && <span className={css.note}>Time the line first: Line, “Time again”.</span>}
      {timed && (
        <Asked query={feelings}>
          {(all) =>
            all.length === 0 ? (
              <span className={css.note}>No mood stands out here; implied meaning they cannot hear.</span>
            ) : (
              all.map((s, i) => (
                <div key={i} className={`${css.row ?? ''} ${css.between ?? ''}`}>
                  <span className="small">
                    <b>
                      {moodTitle(s.mood)} {Math.round(s.amount * 100)} %
                    </b>{' '}
                    <span className="soft">{s.reason}</span>
                  </span>
                  <Press testId={`use-${i}`} onClick={() => addMood(s.mood, s.span, Math.min(1, s.amount))}>
                    Use
                  </Press>
                </div>
              ))
            )
          }
        </Asked>
      )}
      {line.layers.moods.length > 0 && (
        <span className={css.note}>Press a mood on its stave to change it.</span>
      )}
    </div>
  );
}

function OneMood({ line, mood }: { line: LineView; mood: LineView['layers']['moods'][number] }) {
  const { does } = mood;
  const change = (next: Partial<Acting>, goesOn = false) =>
    void layers.change(
      { do: 'change_mood', id: mood.id, change: next },
      `${mood.id} ${Object.keys(next).join(' ')}`,
      goesOn,
    );
  const regions = does.regions ?? [];
  const on = regions.length === 0 ? OF_MOODS : regions;
  const title = moodTitle(does.mood);
  const kind = typeof does.mood === 'string' ? does.mood : 'pose';
  return (
    <>
      <div className={css.column}>
        <SpanHead line={line} name="mood" id={mood.id}>
          <Pick
            label="Which mood"
            testId="which-mood"
            value={kind}
            options={[
              ...(kind === 'pose' ? [['pose', title] as const] : []),
              ...MOODS.map((m) => [m, m] as const),
            ]}
            onChange={(m) => change({ mood: m as Mood })}
          />
        </SpanHead>
        <div className={css.slides}>
          <SlideRow
            title="Amount"
            value={does.amount}
            testId="mood-amount"
            onChange={(amount, on) => change({ amount }, on)}
          />
          <SlideRow
            title="Ease"
            about="How long it takes to come and to go; 1 is as this mood does by itself."
            value={does.ease ?? 1}
            low={0.1}
            high={3}
            usual={1}
            unit={{ factor: 1, suffix: ' ×', digits: 1 }}
            onChange={(ease, on) => change({ ease }, on)}
          />
          <SlideRow
            title="Sides"
            about="How far left and right differ."
            value={does.sides ?? 1}
            high={2}
            usual={1}
            onChange={(sides, on) => change({ sides }, on)}
          />
          {(does.swell ?? []).map(([place, share], k) => (
            <SlideRow
              key={k}
              title={`At ${(mood.span.start + place * (mood.span.end - mood.span.start)).toFixed(2)} s`}
              about="A key of its amount; on the stave it is dragged, Delete takes it away"
              value={share}
              high={2}
              onChange={(value, on) =>
                void keyMood(mood.id, place, [place, value], `${mood.id} ${place}`, on)
              }
            />
          ))}
        </div>
      </div>
      <div className={css.column}>
        <h3>Where</h3>
        <div className={css.row}>
          <Press kind="chip" pressed={regions.length === 0} onClick={() => change({ regions: [] })}>
            whole face
          </Press>
          <Press
            kind="chip"
            pressed={regions.length === UPPER.length && UPPER.every((r) => regions.includes(r))}
            onClick={() => change({ regions: UPPER })}
          >
            upper face
          </Press>
        </div>
        <RegionPick
          label="Where it plays"
          of={OF_MOODS}
          on={on}
          onChange={(next) => change({ regions: next.length === OF_MOODS.length ? [] : next })}
        />
        <div className={css.row}>
          <Press
            kind="chip"
            pressed={does.posture ?? true}
            hint="Whether head and eyes take its posture"
            onClick={() => change({ posture: !(does.posture ?? true) })}
          >
            with posture
          </Press>
          <Press
            kind="chip"
            pressed={does.instead ?? false}
            hint="Moods that were put before it make way while it is there"
            onClick={() => change({ instead: !(does.instead ?? false) })}
          >
            in place of others
          </Press>
        </div>
        <span className={css.note}>
          On the{' '}
          <Term says="The row of moods below: drag a mood along, its ends to stretch it, up and down for its amount; a double click puts a key of the amount.">
            stave
          </Term>{' '}
          it is dragged, stretched and lifted.
        </span>
      </div>
    </>
  );
}
