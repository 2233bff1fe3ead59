import { Tabs } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef } from 'react';
import { type CastDetail, type CastMember, api } from '../api/client';
import { StageTools } from '../stage/StageTools';
import type { Stage } from '../stage/stage';
import { StageView } from '../stage/StageView';
import { set, useView } from '../state';
import { Asked } from '../widgets/Asked';
import css from './CastPage.module.css';
import { CastList } from './CastList';
import { ChartPanel } from './ChartPanel';
import { ControlsPanel } from './ControlsPanel';
import { fetchMember } from './edit';
import { FacePoints, followPoints } from './FacePoints';
import { FirstLook } from './FirstLook';
import { lookAtFace, takeUp, usePut } from './landmarks';
import { Limits } from './Limits';
import { picture, takePicture } from './pictures';
import { BrushOverlay } from './BrushOverlay';
import { askPose, atRest, posed, usePose } from './pose';
import { SculptBar } from './SculptBar';
import { SculptPanel } from './SculptPanel';
import { setSculpt, shownShapes, useSculpt } from './sculpt';
import { ShapesPanel } from './ShapesPanel';
import { stopWalk, useWalk, walked } from './walk';
import { WiringPanel } from './WiringPanel';
import { inWords, longName, plain } from './words';

/** What the stage shows: the walk while it plays, else the pose. */
const source = () => walked() ?? posed();

const NONE: [string, number][] = [];

/** The pose with all joints at rest: what is drawn on a shape is seen as it stays. */
const stillJoints = (member: CastMember) => {
  const value = posed();
  return (target: number) => (member.targets[target]?.kind === 'morph' ? value(target) : 0);
};

export function CastPage() {
  const cast = useQuery({ queryKey: ['cast'], queryFn: api.cast });
  const chosen = useView((s) => s.castMember);
  const id = cast.data?.find((m) => m.id === chosen)?.id ?? cast.data?.[0]?.id ?? null;
  const detail = useQuery({
    queryKey: ['castMember', id],
    queryFn: () => fetchMember(id ?? 0),
    enabled: id !== null,
  });

  useEffect(() => {
    if (id === null) return;
    // Without one chosen, the first is; so it is after one is gone.
    set({ castMember: id });
    atRest(id);
    return stopWalk;
  }, [id]);
  useEffect(() => setSculpt({ shape: null }), [id]);
  // Another window may have wired it otherwise.
  const { wiring } = detail.data?.member ?? {};
  useEffect(() => {
    if (id !== null && wiring) askPose(id);
  }, [id, wiring]);

  const shown = detail.data?.member.id === id ? detail.data : undefined;
  return (
    <main className={css.page}>
      <aside className={css.members} data-testid="members">
        <Asked query={cast}>{(cast) => <CastList cast={cast} open={id} />}</Asked>
        {shown && <Limits detail={shown} />}
      </aside>
      {shown ? (
        <Open key={shown.member.id} detail={shown} />
      ) : (
        <section className={css.empty}>
          <h2>{id === null ? 'Nobody is in the cast yet' : 'The character is being read …'}</h2>
          {id === null && (
            <p className="soft">Drop a character’s GLB, glTF or zip file here; its names are read at once.</p>
          )}
          {id !== null && detail.error && <Asked query={detail}>{() => null}</Asked>}
        </section>
      )}
    </main>
  );
}

function Open({ detail }: { detail: CastDetail }) {
  const { member } = detail;
  const lacking = detail.facts.shapes.length === 0 && !member.wiring.chart;
  const tab = useView((s) => s.castTab) ?? (lacking ? 'shapes' : member.wiring.chart ? 'mouths' : 'wiring');
  const stage = useRef<Stage | null>(null);
  const shapes = useQuery({
    queryKey: ['shapes', member.id],
    queryFn: () => api.shapes(member.id),
    enabled: tab === 'shapes',
  });
  const known = tab === 'shapes' ? shapes.data : undefined;
  const byHand = tab === 'hand';
  // After a step that was taken back, another list of shapes counts.
  const asked = useQuery({
    queryKey: ['sculpt', member.id, member.model],
    queryFn: () => api.sculpt(member.id),
    enabled: byHand,
    placeholderData: (before) => before,
  });
  const sculpt = byHand ? asked.data : undefined;
  const peeked = () => {
    const { peek } = usePose.getState();
    if (byHand) return shownShapes(sculpt);
    return peek === null ? NONE : ([[peek, 1]] as [string, number][]);
  };
  useEffect(() => {
    if (known) takeUp(member.id, known);
  }, [member.id, known]);
  // A face that came without shapes stands in a body as likely as not: its points tell where to look.
  const looked = useRef('');
  useDots(stage, known?.made?.loose, known?.width);
  return (
    <>
      <section className={css.middle}>
        <StageView
          member={member}
          source={byHand ? () => stillJoints(member) : source}
          peek={peeked}
          label={`${member.name}, posed`}
          onShown={(element, _, shown) => {
            stage.current = shown;
            // What was corrected by hand is looked at from where it was, whatever became of the file.
            const view = `${tab} ${member.id}/${byHand ? '' : member.model}`;
            if ((known ?? sculpt) && looked.current !== view && element.dataset.ready) {
              looked.current = view;
              const { chosen, points } = usePut.getState();
              if (sculpt) lookAtFace(shown, sculpt.landmarks, sculpt.width);
              // Unless one of them is looked at already.
              else if (known && chosen === null) lookAtFace(shown, points, known.width);
            }
            if (known) followPoints(element, shown);
            const canvas = element.querySelector('canvas');
            const near = byHand || (tab === 'shapes' && usePut.getState().chosen !== null);
            if (canvas && !near && shown.isDrawn() && !picture(member.model))
              takePicture(member.model, canvas);
          }}
        >
          <StageNote name={member.name} byHand={byHand} />
          {sculpt && <BrushOverlay member={member.id} sculpt={sculpt} stage={() => stage.current} />}
          <StageTools />
          {known && <FacePoints stage={() => stage.current} />}
        </StageView>
        <Tabs
          className={css.under}
          value={tab}
          onChange={(next) => next && set({ castTab: next as typeof tab })}
          keepMounted={false}
        >
          <Tabs.List>
            <Tabs.Tab value="wiring">Wiring</Tabs.Tab>
            <Tabs.Tab value="mouths">Whole mouths</Tabs.Tab>
            <Tabs.Tab value="shapes">Shapes</Tabs.Tab>
            <Tabs.Tab value="hand">By hand</Tabs.Tab>
          </Tabs.List>
          <Tabs.Panel value={tab} className={css.panel}>
            {tab === 'mouths' && <ChartPanel detail={detail} />}
            {tab === 'wiring' && <WiringPanel detail={detail} />}
            {byHand && <SculptBar />}
            {tab === 'shapes' && <FirstLook member={member.id} made={!!known?.made} />}
          </Tabs.Panel>
        </Tabs>
      </section>
      {tab === 'shapes' ? (
        <Asked query={shapes}>
          {(data) => (
            <ShapesPanel member={member.id} name={member.name} shapes={data} stage={() => stage.current} />
          )}
        </Asked>
      ) : byHand ? (
        <Asked query={asked}>{(data) => <SculptPanel detail={detail} sculpt={data} />}</Asked>
      ) : (
        <ControlsPanel detail={detail} />
      )}
    </>
  );
}

/** Shows where the fit is loose: from yellow to red. */
function useDots(stage: React.RefObject<Stage | null>, loose?: number[][], width = 1) {
  const shown = usePut((s) => s.loose);
  useEffect(() => {
    const made = stage.current;
    if (!made) return;
    if (!shown || !loose) {
      made.dot(null);
      return;
    }
    const at = loose.flatMap((p) => p.slice(0, 3));
    const colours = loose.flatMap((p) => {
      // Of three hundredths of the mouth yellow, of fifteen and more red.
      const red = Math.min(1, Math.max(0, ((p[3] ?? 0) - 0.03) / 0.12));
      return [0.95, 0.75 * (1 - red), 0.1];
    });
    made.dot({ at, colours, size: 0.035 * width });
    return () => made.dot(null);
  }, [stage, shown, loose, width]);
}

/** What is shown, in words, on the stage. */
function StageNote({ name, byHand }: { name: string; byHand: boolean }) {
  const { chosen, controls, peek } = usePose();
  const { walk, step } = useWalk();
  const of = step === null ? undefined : walk?.steps[step]?.of;
  const value = controls[chosen] ?? 0;
  let what = value === 0 ? '' : `${longName(chosen)} ${plain(value)}`;
  const corrected = useSculpt((s) => s.shape);
  if (peek) what = `${peek} alone, in full`;
  if (byHand) what = corrected === null ? 'choose a shape' : inWords(corrected);
  if (of?.kind === 'control') what = `every control: ${longName(of.control)}`;
  if (of?.kind === 'sound') what = `every sound: ${of.phone}`;
  if (of?.kind === 'line') what = 'a line with every English sound';
  const share = step === null || !walk ? 0 : (100 * (step + 1)) / walk.steps.length;
  return (
    <>
      <div className={css.note} data-testid="stage-note">
        {name}
        {what && ` · ${what}`}
      </div>
      {of && (
        <div className={css.track}>
          <div style={{ width: `${share}%` }} />
        </div>
      )}
    </>
  );
}
