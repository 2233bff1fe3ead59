import { Modal } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { type CastMember, type Compared, type Delivery, api } from '../api/client';
import { StageView } from '../stage/StageView';
import { Asked } from '../widgets/Asked';
import { Press } from '../widgets/Press';
import css from './CompareView.module.css';

/** Most curves that are drawn over each other. */
const CURVES = 8;

/** A delivery on the stage, and beside it its line as it is now; under them the curves that differ. */
export function CompareView({
  delivery,
  name,
  onClose,
}: {
  delivery: Delivery;
  name: string;
  onClose: () => void;
}) {
  const compared = useQuery({
    queryKey: ['deliveries', 'compare', delivery.id],
    queryFn: () => api.compared(delivery.id),
    staleTime: 0,
    retry: false,
  });
  const lines = useQuery({ queryKey: ['lines'], queryFn: api.lines });
  const cast = useQuery({ queryKey: ['cast'], queryFn: api.cast });
  const who = lines.data?.find((l) => l.id === delivery.line)?.character;
  const member = cast.data?.find((m) => m.name === who);
  return (
    <Modal opened onClose={onClose} title={`${name}: as it went out, and now`} size={980}>
      <Asked query={compared}>
        {(compared) => <Both compared={compared} member={member} line={delivery.line} />}
      </Asked>
    </Modal>
  );
}

function Both({
  compared,
  member,
  line,
}: {
  compared: Compared;
  member: CastMember | undefined;
  line: number;
}) {
  const [frame, setFrame] = useState(0);
  const [playing, setPlaying] = useState(false);
  const sound = useRef<HTMLAudioElement>(null);
  const { num, den } = compared.frame_rate;
  const last = compared.frames - 1;
  const differs = compared.differ.length > 0;
  const place = useRef(0);
  useEffect(() => {
    place.current = frame;
  });
  useEffect(() => {
    if (!playing) return;
    const heard = sound.current;
    if (heard) {
      heard.currentTime = Math.max(0, (place.current * den) / num);
      void heard.play().catch(() => undefined);
    }
    let handle = 0;
    const from = performance.now() - (place.current * den * 1000) / num;
    const tick = () => {
      // The sound's clock, as long as it sounds; else the page's.
      const time = heard && !heard.paused ? heard.currentTime : (performance.now() - from) / 1000;
      const next = Math.floor((time * num) / den + 1e-6);
      setFrame(Math.min(next, last));
      if (next >= last) setPlaying(false);
      else handle = requestAnimationFrame(tick);
    };
    handle = requestAnimationFrame(tick);
    return () => {
      cancelAnimationFrame(handle);
      heard?.pause();
    };
  }, [playing, num, den, last]);
  const of = (values: number[][]) => () => (target: number) => values[frame]?.[target] ?? 0;
  return (
    <div className={css.both}>
      <div className={css.pictures}>
        {member && (
          <StageView
            member={member}
            label={`${member.name} as delivered, and now`}
            source={of(compared.delivered)}
            other={differs ? of(compared.now) : undefined}
          />
        )}
        {differs && (
          <>
            <span className={css.then}>as it went out</span>
            <span className={css.now}>now</span>
          </>
        )}
      </div>
      <audio ref={sound} src={`/api/lines/${line}/sound`} preload="auto" />
      <div className={css.transport}>
        <Press kind="main" onClick={() => setPlaying(!playing)}>
          {playing ? 'Pause' : 'Play'}
        </Press>
        <input
          type="range"
          aria-label="Frame"
          min={0}
          max={last}
          value={frame}
          onChange={(event) => {
            setPlaying(false);
            setFrame(Number(event.currentTarget.value));
          }}
        />
        <span className="num">{compared.first_frame + frame}</span>
      </div>
      {differs ? (
        <div className={css.curves}>
          {compared.differ.slice(0, CURVES).map((c) => (
            <Curve key={c.control} of={c} frame={frame} />
          ))}
          {compared.differ.length > CURVES && (
            <p className="soft small">and {compared.differ.length - CURVES} more that differ less</p>
          )}
        </div>
      ) : (
        <p className="soft">The line’s curves are as they went out.</p>
      )}
    </div>
  );
}

function Curve({ of, frame }: { of: Compared['differ'][number]; frame: number }) {
  const all = [...of.delivered, ...of.now];
  const [low, high] = [Math.min(0, ...all), Math.max(0.01, ...all)];
  const [width, height] = [600, 40];
  const at = (i: number) => (i / Math.max(1, of.now.length - 1)) * width;
  const path = (values: number[]) =>
    values
      .map(
        (v, i) =>
          `${i ? 'L' : 'M'}${at(i).toFixed(1)} ${(height - ((v - low) / (high - low)) * height).toFixed(1)}`,
      )
      .join('');
  return (
    <div className={css.curve}>
      <span>{of.control.replaceAll('_', ' ')}</span>
      <svg
        viewBox={`0 -2 ${width} ${height + 4}`}
        preserveAspectRatio="none"
        role="img"
        aria-label={`${of.control}: as it went out, and now`}
      >
        <path d={path(of.delivered)} className={css.old} />
        <path d={path(of.now)} className={css.new} />
        <line x1={at(frame)} x2={at(frame)} y1={-2} y2={height + 2} className={css.head} />
      </svg>
      <span className="soft small num">{Math.round(of.apart * 100)} %</span>
    </div>
  );
}
