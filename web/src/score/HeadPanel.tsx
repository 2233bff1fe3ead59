import { FileButton } from '@mantine/core';
import { answered } from '../api/act';
import { type HeadMove, type LineView, api } from '../api/client';
import { HeadShare, LayerHead, Slide, SpanHead } from './LayerParts';
import { MOVES, addMove, change, changeSettings } from './layers';

const degrees = (v: number) => `${v.toFixed(0)}°`;

/** The bench: the head with the voice, or the turn or shiver that is chosen. */
export function HeadPanel({ line, id }: { line: LineView; id: number | null }) {
  const { settings, moves, body } = line.layers;
  const chosen = moves.find((m) => m.id === id);
  if (chosen) {
    const { does } = chosen;
    const turn = (next: HeadMove, on: boolean) =>
      void change({ do: 'change_move', id: chosen.id, does: next }, `${chosen.id}`, on);
    return (
      <section className="panel tight" aria-label="Head" data-testid="head-panel">
        <SpanHead name="head" line={line} id={chosen.id}>
          <h2>{does.kind === 'turn' ? 'Turn' : 'Shiver'}</h2>
        </SpanHead>
        <div className="diction">
          {does.kind === 'turn' ? (
            <>
              <Slide
                title="Left, right"
                low={-60}
                high={60}
                value={does.yaw}
                show={degrees}
                testId="turn-yaw"
                onChange={(yaw, on) => turn({ ...does, yaw }, on)}
              />
              <Slide
                title="Down, up"
                low={-35}
                high={35}
                value={does.pitch}
                show={degrees}
                onChange={(pitch, on) => turn({ ...does, pitch }, on)}
              />
              <Slide
                title="Tilt"
                low={-30}
                high={30}
                value={does.roll}
                show={degrees}
                onChange={(roll, on) => turn({ ...does, roll }, on)}
              />
            </>
          ) : (
            <>
              <Slide
                title="How far"
                high={3}
                value={does.degrees}
                show={(v) => `${v.toFixed(1)}°`}
                onChange={(far, on) => turn({ ...does, degrees: far }, on)}
              />
              <Slide
                title="How fast"
                low={1}
                high={15}
                value={does.per_second}
                show={(v) => `${v.toFixed(0)} a second`}
                onChange={(per_second, on) => turn({ ...does, per_second }, on)}
              />
            </>
          )}
        </div>
        <span className="soft">
          {does.kind === 'turn'
            ? 'It dips on an arc, arrives, and never stands quite still; at its end it turns back.'
            : 'The eyes shiver faster than the head.'}
        </span>
      </section>
    );
  }
  return (
    <section className="panel tight" aria-label="Head" data-testid="head-panel">
      <LayerHead line={line} layer="head" title="Head" />
      <div className="diction">
        <Slide
          title="Nods, voice"
          about="Nods on stressed words, drift by phrase, a lift where it asks"
          value={settings.nods}
          high={2}
          testId="nods"
          onChange={(nods, on) => changeSettings({ nods }, on)}
        />
        <Slide
          title="Sway"
          about="What a head does that does nothing: never still"
          value={settings.sway}
          high={2}
          onChange={(sway, on) => changeSettings({ sway }, on)}
        />
        <Slide
          title="Comes round"
          about="After how long sway, breath and idle brows begin anew, without a seam: for a wait that is looped"
          value={settings.sway_loop}
          high={30}
          show={(v) => (v < 1 ? 'never' : `${v.toFixed(1)} s`)}
          testId="sway-loop"
          onChange={(v, on) => changeSettings({ sway_loop: v < 1 ? 0 : Math.round(v * 10) / 10 }, on)}
        />
        <HeadShare value={settings.head_share} />
      </div>
      <div className="chips" aria-label="Add over the selected word, or the phrase at the playhead">
        {MOVES.map(([name, move]) => (
          <button key={name} className="chip" data-testid={`add-${name}`} onClick={() => addMove(move)}>
            {name}
          </button>
        ))}
      </div>
      <span className="soft">A press lays it over the selected word, or the phrase at the playhead.</span>
      <div className="sound-part-row">
        <FileButton accept=".bvh" onChange={(file) => file && void answered(api.body(line.summary.id, file))}>
          {(props) => (
            <button className="button" {...props} data-testid="body-motion">
              {body ? 'Other body motion …' : 'Ride on body motion (.bvh) …'}
            </button>
          )}
        </FileButton>
        {body && (
          <button className="quiet" onClick={() => void change({ do: 'body', body: null })}>
            Let it go
          </button>
        )}
      </div>
      {body && (
        <div className="diction">
          <Slide
            title="Of the body"
            about={`${body[0]}, ${body[1].toFixed(1)} s: head and neck against the trunk`}
            value={body[2]}
            high={2}
            onChange={(amount, on) => void change({ do: 'body_amount', amount }, 'body', on)}
          />
        </div>
      )}
    </section>
  );
}
