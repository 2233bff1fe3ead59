import { useRef, useState } from 'react';
import type { LineView } from '../api/client';
import { get } from '../state';
import { useFrame } from '../widgets/useFrame';
import * as player from './player';
import css from './FilmView.module.css';

/** How far the film may be off while it plays before it is put right, seconds: two frames of film. */
const OFF_PLAYING = 0.085;
/** While it stands, less than half a frame at any rate. */
const OFF_STANDING = 0.004;

export const filmAddress = (line: LineView) =>
  line.document.film ? `/api/lines/${line.summary.id}/film/${line.document.film.id}` : null;

/** The actor's film beside the character, on the moment that is heard. */
export function FilmView({ line }: { line: LineView }) {
  const film = useRef<HTMLVideoElement>(null);
  const [problem, setProblem] = useState(false);
  const address = filmAddress(line);
  const offset = line.document.film?.offset ?? 0;
  useFrame(() => {
    const video = film.current;
    if (!video || video.readyState < 1) return;
    const wanted = Math.max(0, Math.min(player.now() + offset, video.duration || 0));
    const far = Math.abs(video.currentTime - wanted);
    if (get().playing) {
      video.playbackRate = get().speed;
      if (far > OFF_PLAYING) video.currentTime = wanted;
      if (video.paused && wanted < video.duration) void video.play().catch(() => undefined);
      return;
    }
    if (!video.paused) video.pause();
    if (far > OFF_STANDING && !video.seeking) video.currentTime = wanted;
  });
  if (!address) return null;
  return (
    <div className={css.film}>
      {problem ? (
        <span className={css.note}>This browser cannot play the film; export it as MP4 (H.264) or WebM.</span>
      ) : (
        <video
          ref={film}
          src={address}
          muted
          playsInline
          preload="auto"
          data-testid="film"
          aria-label="Reference film"
          onError={() => setProblem(true)}
        />
      )}
    </div>
  );
}
