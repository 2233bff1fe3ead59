import { useQuery } from '@tanstack/react-query';
import { type Acting, type LineView, type Mood, type RegionName, api } from '../api/client';
import { REGIONS } from '../cast/words';
import { LayerHead, Slide, SpanHead } from './LayerParts';
import { MixPart } from './MixPart';
import * as layers from './layers';
import { MOODS, addMood, changeSettings, keyMood, moodTitle } from './layers';

const UPPER: RegionName[] = ['cheeks', 'lids', 'brows'];

/** The bench: moods, or the one that is chosen. */
export function MoodPanel({ line, id }: { line: LineView; id: number | null }) {
  const chosen = line.layers.moods.find((m) => m.id === id);
  return (
    <section className="panel tight" aria-label="Mood" data-testid="mood-panel">
      {chosen ? <OneMood key={chosen.id} line={line} mood={chosen} /> : <Moods line={line} />}
    </section>
  );
}

function Moods({ line }: { line: LineView }) {
  const poses = useQuery({ queryKey: ['poses'], queryFn: api.poses });
  const feelings = useQuery({
    queryKey: ['feelings', line.summary.id, line.document.text],
    queryFn: () => api.feelings(line.summary.id),
    enabled: line.document.timing != null,
  });
  const { settings } = line.layers;
  return (
    <>
      <LayerHead line={line} layer="mood" title="Mood" />
      <div className="diction">
        <Slide
          title="Guard"
          about="How far moods and passes give way to the words. Lips always seal on P, B and M."
          value={settings.guard}
          testId="guard"
          onChange={(guard, goesOn) => changeSettings({ guard }, goesOn)}
        />
      </div>
      <div className="chips" aria-label="Add a mood over the selected word, or the phrase at the playhead">
        {MOODS.map((mood) => (
          <button key={mood} className="chip" data-testid={`add-${mood}`} onClick={() => addMood(mood)}>
            {mood}
          </button>
        ))}
        {poses.data?.map((pose) => (
          <button key={pose.name} className="chip" onClick={() => addMood({ pose })}>
            {pose.name}
          </button>
        ))}
      </div>
      <span className="soft">A press lays it over the selected word, or the phrase at the playhead.</span>
      <MixPart line={line} />
      {feelings.data && feelings.data.length > 0 && (
        <>
          <b>What voice and words suggest</b>
          {feelings.data.map((s, i) => (
            <div key={i} className="suggestion">
              <span>
                <b>
                  {moodTitle(s.mood)} {Math.round(s.amount * 100)} %
                </b>{' '}
                <span className="soft">{s.reason}</span>
              </span>
              <button
                className="button"
                data-testid={`use-${i}`}
                onClick={() => addMood(s.mood, s.span, Math.min(1, s.amount))}
              >
                Use
              </button>
            </div>
          ))}
        </>
      )}
      {feelings.data?.length === 0 && (
        <span className="soft">Voice and words suggest no mood here; implied meaning they cannot hear.</span>
      )}
      <button
        className="button"
        style={{ alignSelf: 'flex-start' }}
        title="Other nods, blinks and differences of sides, by another seed"
        onClick={() => changeSettings({ seed: settings.seed + 1 })}
      >
        Another take of the small things
      </button>
    </>
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
  const toggle = (region: RegionName) => {
    const all = regions.length === 0 ? REGIONS : regions;
    const next = all.includes(region) ? all.filter((r) => r !== region) : [...all, region];
    change({ regions: next.length === REGIONS.length ? [] : next });
  };
  const title = moodTitle(does.mood);
  return (
    <>
      <SpanHead line={line} name="mood" id={mood.id}>
        <h2>{title}</h2>
        <select
          className="field small"
          aria-label="Which mood"
          data-testid="which-mood"
          value={typeof does.mood === 'string' ? does.mood : 'pose'}
          onChange={(e) => change({ mood: e.target.value as Mood })}
        >
          {typeof does.mood !== 'string' && <option value="pose">{title}</option>}
          {MOODS.map((m) => (
            <option key={m}>{m}</option>
          ))}
        </select>
      </SpanHead>
      <div className="diction">
        <Slide
          title="Amount"
          value={does.amount}
          testId="mood-amount"
          onChange={(amount, on) => change({ amount }, on)}
        />
        <Slide
          title="Ease"
          about="How long it takes to come and to go; 1 is as this mood does by itself."
          value={does.ease ?? 1}
          low={0.1}
          high={3}
          show={(v) => `${v.toFixed(1)} ×`}
          onChange={(ease, on) => change({ ease }, on)}
        />
        <Slide
          title="Sides"
          about="How far left and right differ."
          value={does.sides ?? 1}
          high={2}
          onChange={(sides, on) => change({ sides }, on)}
        />
        {(does.swell ?? []).map(([place, share], k) => (
          <Slide
            key={k}
            title={`At ${(mood.span.start + place * (mood.span.end - mood.span.start)).toFixed(2)} s`}
            about="A key of its amount; on the stave it is dragged, Del takes it out"
            value={share}
            high={2}
            onChange={(value, on) => void keyMood(mood.id, place, [place, value], `${mood.id} ${place}`, on)}
          />
        ))}
      </div>
      <div className="chips" aria-label="Where it plays">
        <button className="chip" aria-pressed={regions.length === 0} onClick={() => change({ regions: [] })}>
          whole face
        </button>
        <button
          className="chip"
          aria-pressed={UPPER.every((r) => regions.includes(r)) && regions.length === UPPER.length}
          onClick={() => change({ regions: UPPER })}
        >
          upper face
        </button>
        {REGIONS.filter((r) => r !== 'gaze').map((region) => (
          <button
            key={region}
            className="chip"
            aria-pressed={regions.length === 0 || regions.includes(region)}
            onClick={() => toggle(region)}
          >
            {region}
          </button>
        ))}
        <button
          className="chip"
          aria-pressed={does.posture ?? true}
          title="Whether head and eyes take its posture"
          onClick={() => change({ posture: !(does.posture ?? true) })}
        >
          posture
        </button>
        <button
          className="chip"
          aria-pressed={does.instead ?? false}
          title="Moods that were put before it make way while it is there"
          onClick={() => change({ instead: !(does.instead ?? false) })}
        >
          instead of others
        </button>
      </div>
      <span className="soft">
        On the stave: drag it along, its ends to stretch it, up and down for the amount; a double click puts a
        key of the amount; Del takes it out.
      </span>
    </>
  );
}
