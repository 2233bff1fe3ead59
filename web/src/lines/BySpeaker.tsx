import type { LineSummary } from '../api/client';
import { Press } from '../widgets/Press';
import { listed } from '../widgets/words';
import css from './BySpeaker.module.css';
import { splitBySpeaker } from './lineActions';

/** Offers lines of one speaker each where the text names who says what. */
export function BySpeaker({ line }: { line: LineSummary }) {
  const { id, speakers, state } = line;
  if (speakers.length === 0) return null;
  return (
    <div className={css.offer}>
      <span>
        {listed(speakers)} {speakers.length === 1 ? 'speaks' : 'speak'} in it.
      </span>
      <Press
        testId="by-speaker"
        disabled={state !== 'timed'}
        hint={
          state === 'timed'
            ? 'Each gets the stretch of the recording that is theirs, with its own first frame, and a scene is made of them. One step takes it back.'
            : 'When it is timed'
        }
        onClick={() => void splitBySpeaker(id)}
      >
        Make lines by speaker
      </Press>
    </div>
  );
}
