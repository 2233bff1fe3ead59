import { FileButton } from '@mantine/core';
import { answered } from '../../api/act';
import { type HeadMove, type LineView, api } from '../../api/client';
import { useView } from '../../state';
import { Press } from '../../widgets/Press';
import { DEGREES, SlideRow } from '../../widgets/SlideRow';
import { spanIds } from '../chosen';
import { MOVES, addMove, change, changeSettings } from '../layers';
import css from './bench.module.css';
import { HeadShare, LayerBar, SpanHead } from './layerParts';
import { Over } from './MoodBench';

/** The bench: the head with the voice, and the turn or shiver that is chosen. */
export function HeadBench({ line }: { line: LineView }) {
  const chosen = useView((s) => s.chosen);
  const { settings, moves, body } = line.layers;
  const own = moves.find((m) => m.id === spanIds(chosen, 'head').at(-1));
  return (
    <section className={css.bench} aria-label="Head" data-testid="head-bench">
      <LayerBar line={line} layer="head" title="Head">
        <HeadShare value={settings.head_share} />
      </LayerBar>
      <div className={css.column}>
        <div>
          <h3>Move it</h3>
          <Over line={line} />
        </div>
        <div className={css.chips}>
          {MOVES.map(([name, move]) => (
            <Press key={name} kind="chip" testId={`add-${name}`} onClick={() => addMove(move)}>
              {name}
            </Press>
          ))}
        </div>
        <span className={css.note}>
          A turn dips on an arc, arrives, never stands quite still, and turns back at its end.
        </span>
      </div>
      {own && <OneMove line={line} own={own} />}
      <div className={css.column}>
        <h3>By itself</h3>
        <div className={css.slides}>
          <SlideRow
            title="With the voice"
            about="Nods on stressed words, drift by phrase, a lift where it asks"
            value={settings.nods}
            high={2}
            usual={1}
            testId="nods"
            onChange={(nods, on) => changeSettings({ nods }, on)}
          />
          <SlideRow
            title="Sway"
            about="What a head does that does nothing: never still"
            value={settings.sway}
            high={2}
            usual={1}
            onChange={(sway, on) => changeSettings({ sway }, on)}
          />
          <SlideRow
            title="Repeats after"
            about="After how long sway, breath and idle brows begin anew, without a seam: for a wait that is looped. 0 is never."
            value={settings.sway_loop}
            high={30}
            usual={0}
            unit={{ factor: 1, suffix: ' s', digits: 1 }}
            testId="sway-loop"
            onChange={(v, on) => changeSettings({ sway_loop: v < 1 ? 0 : Math.round(v * 10) / 10 }, on)}
          />
        </div>
      </div>
      <div className={css.column}>
        <h3>On a body</h3>
        <span className={css.note}>
          {body
            ? `It rides on ${body[0]}, ${body[1].toFixed(1)} s: head and neck against the trunk.`
            : 'The head can ride on body motion from a BVH file.'}
        </span>
        <div className={css.row}>
          <FileButton
            accept=".bvh"
            onChange={(file) => file && void answered(api.body(line.summary.id, file))}
          >
            {(props) => (
              <Press {...props} testId="body-motion">
                {body ? 'Other body motion …' : 'Body motion …'}
              </Press>
            )}
          </FileButton>
          {body && (
            <Press kind="quiet" onClick={() => void change({ do: 'body', body: null })}>
              Delete it
            </Press>
          )}
        </div>
        {body && (
          <SlideRow
            title="Of the body"
            value={body[2]}
            high={2}
            usual={1}
            onChange={(amount, on) => void change({ do: 'body_amount', amount }, 'body', on)}
          />
        )}
      </div>
    </section>
  );
}

function OneMove({ line, own }: { line: LineView; own: LineView['layers']['moves'][number] }) {
  const { does } = own;
  const turn = (next: HeadMove, on: boolean) =>
    void change({ do: 'change_move', id: own.id, does: next }, `${own.id}`, on);
  return (
    <div className={css.column}>
      <SpanHead name="head" line={line} id={own.id}>
        <h3>{does.kind === 'turn' ? 'Turn' : 'Shiver'}</h3>
      </SpanHead>
      <div className={css.slides}>
        {does.kind === 'turn' ? (
          <>
            <SlideRow
              title="Left, right"
              low={-60}
              high={60}
              value={does.yaw}
              unit={DEGREES}
              testId="turn-yaw"
              onChange={(yaw, on) => turn({ ...does, yaw }, on)}
            />
            <SlideRow
              title="Down, up"
              low={-35}
              high={35}
              value={does.pitch}
              unit={DEGREES}
              onChange={(pitch, on) => turn({ ...does, pitch }, on)}
            />
            <SlideRow
              title="Tilt"
              low={-30}
              high={30}
              value={does.roll}
              unit={DEGREES}
              onChange={(roll, on) => turn({ ...does, roll }, on)}
            />
          </>
        ) : (
          <>
            <SlideRow
              title="How far"
              high={3}
              value={does.degrees}
              unit={{ factor: 1, suffix: '°', digits: 1 }}
              onChange={(far, on) => turn({ ...does, degrees: far }, on)}
            />
            <SlideRow
              title="How fast"
              about="Shivers a second; the eyes shiver faster than the head."
              low={1}
              high={15}
              value={does.per_second}
              unit={{ factor: 1, suffix: ' /s', digits: 0 }}
              onChange={(per_second, on) => turn({ ...does, per_second }, on)}
            />
          </>
        )}
      </div>
    </div>
  );
}
