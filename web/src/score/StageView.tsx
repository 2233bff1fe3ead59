import { useEffect, useRef, useState } from 'react';
import type { CastMember } from '../api/client';
import { tell } from '../api/client';
import { currentCurves } from '../api/live';
import { at } from './draw';
import * as player from './player';
import { Stage } from './stage';

interface Props {
  member: CastMember;
  /** Whether the mouth's close-up is shown. */
  inset?: boolean;
  children?: React.ReactNode;
}

/** The character, posed by the curves at the moment that is heard. */
export function StageView({ member, inset = false, children }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const stage = useRef<Stage | null>(null);
  const [readyFor, setReadyFor] = useState<number | null>(null);
  const { id, outputs } = member;

  useEffect(() => {
    const element = host.current;
    if (!element || !canvas.current) return;
    const made = new Stage(canvas.current, inset);
    stage.current = made;
    const observer = new ResizeObserver(() => made.resize(element.clientWidth, element.clientHeight));
    observer.observe(element);
    return () => {
      observer.disconnect();
      made.dispose();
      stage.current = null;
    };
  }, [inset]);

  useEffect(() => {
    let gone = false;
    let running = true;
    const made = stage.current;
    made
      ?.load(`/api/cast/${id}/model`, outputs)
      .then(() => {
        if (!gone) setReadyFor(id);
      })
      .catch(tell);
    const jaw = outputs.findIndex(
      (o) => o.target.kind === 'morph' && o.feeds.some((f) => f.control === 'jaw_open'),
    );
    let shown = '';
    const tick = () => {
      if (!running || !made) return;
      const curves = currentCurves();
      const position = player.now() * (curves?.hz ?? 0);
      made.pose((i) => {
        const curve = curves?.outputs[i];
        return curve ? at(curve, position) : 0;
      });
      made.draw();
      // For tests: what the face shows of the jaw.
      const curve = curves?.outputs[jaw];
      const now = curve ? at(curve, position).toFixed(3) : '0';
      if (now !== shown && host.current) host.current.dataset.jaw = shown = now;
      requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
    return () => {
      gone = true;
      running = false;
    };
  }, [id, outputs]);

  return (
    <div className="stage" ref={host} data-testid="stage" data-ready={readyFor === id || undefined}>
      <canvas
        ref={canvas}
        style={{ width: '100%', height: '100%' }}
        aria-label={`${member.name} speaking`}
        role="img"
      />
      {inset && <div className="frame" />}
      {children}
    </div>
  );
}
