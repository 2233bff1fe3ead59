import { useEffect, useRef, useState } from 'react';
import type { CastMember, SceneView } from '../api/client';
import * as player from '../score/player';
import { perSecond } from '../score/time';
import { useSettings } from '../settings';
import { takeGraphics } from '../stage/graphics';
import { SceneStage } from '../stage/sceneStage';
import { stages } from '../stage/stages';
import { tell } from '../widgets/tell';
import { useFrame } from '../widgets/useFrame';
import { type SceneCurves, useStrip, valuesAt } from './data';
import css from '../stage/StageView.module.css';

/** All characters of a scene on one stage, as they are in the frame that is heard. */
export function SceneStageView({
  scene,
  cast,
  curves,
  children,
}: {
  scene: SceneView;
  cast: CastMember[];
  curves: SceneCurves | undefined;
  children?: React.ReactNode;
}) {
  const host = useRef<HTMLDivElement>(null);
  const picture = useRef<HTMLDivElement>(null);
  const stage = useRef<SceneStage | null>(null);
  const [ready, setReady] = useState('');
  const sideLight = useSettings((s) => s.sideLight);
  const near = useStrip((s) => s.near);
  const standing = scene.actors.flatMap(({ member, place }) => {
    const own = cast.find((m) => m.id === member);
    return own ? [{ member: own, place }] : [];
  });
  const key = JSON.stringify(
    standing.map(({ member, place }) => [member.id, member.model, member.targets, place]),
  );

  useEffect(() => {
    const element = host.current;
    if (!element || !picture.current) return;
    const graphics = takeGraphics();
    picture.current.append(graphics.canvas);
    const made = new SceneStage(graphics);
    stage.current = made;
    stages.add(made);
    // What tests ask: how far each is from its rest.
    Object.assign(window, { jamLipsShifts: () => made.shifts() });
    const observer = new ResizeObserver(() => made.resize(element.clientWidth, element.clientHeight));
    observer.observe(element);
    return () => {
      observer.disconnect();
      stages.delete(made);
      made.dispose();
      stage.current = null;
    };
  }, []);
  useEffect(() => stage.current?.light(sideLight), [sideLight]);
  const newest = useRef(standing);
  useEffect(() => {
    newest.current = standing;
  });
  useEffect(() => {
    let gone = false;
    stage.current
      ?.stand(newest.current)
      .then((shown) => {
        if (!gone && shown) setReady(key);
      })
      .catch((error: unknown) => {
        if (!gone) tell(error);
      });
    return () => {
      gone = true;
    };
  }, [key]);
  const index = near === null ? -1 : scene.actors.findIndex((a) => a.character === near);
  useEffect(() => {
    if (ready === key) stage.current?.lookAt(index < 0 ? null : index);
  }, [index, ready, key]);

  useFrame(() => {
    const made = stage.current;
    if (!made || ready !== key) return;
    const frame = Math.floor(player.now() * perSecond(scene.grid) + 1e-6);
    scene.actors.forEach((_, i) => made.pose(i, valuesAt(curves, i, frame)));
    made.draw();
  });
  const label = scene.actors.map((a) => a.title).join(', ') || 'nobody';
  return (
    <div
      className={css.stage}
      ref={host}
      data-testid="scene-stage"
      data-ready={(ready === key && curves !== undefined) || undefined}
    >
      <div ref={picture} className={css.picture} role="img" aria-label={`On the stage: ${label}`} />
      {children}
    </div>
  );
}
