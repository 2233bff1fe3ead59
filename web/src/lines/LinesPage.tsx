import { useQuery } from '@tanstack/react-query';
import { Suspense, lazy, useEffect } from 'react';
import { fetchLine } from '../api/act';
import { type LineSummary, fetched, api, lacksText, speaks } from '../api/client';
import { want } from '../api/live';
import { give } from '../commands';
import * as player from '../score/player';
import { rateName } from '../score/time';
import { go, set, useView } from '../state';
import { Asked } from '../widgets/Asked';
import { Press } from '../widgets/Press';
import { Problem } from '../widgets/Problem';
import { tell } from '../widgets/tell';
import { count } from '../widgets/words';
import { BySpeaker } from './BySpeaker';
import { deleteLines, draftTexts } from './lineActions';
import { LinesList } from './LinesList';
import css from './LinesPage.module.css';
import { ManySide } from './many/ManySide';

// The list does not wait for the renderer.
const SpeakingStage = lazy(() =>
  import('../score/SpeakingStage').then((m) => ({ default: m.SpeakingStage })),
);

export function LinesPage() {
  const all = useQuery({ queryKey: ['lines'], queryFn: api.lines });
  return (
    <main className={css.page}>
      <Asked query={all}>
        {(all) => (
          <>
            <LinesList all={all} />
            <Side all={all} />
          </>
        )}
      </Asked>
    </main>
  );
}

function Side({ all }: { all: LineSummary[] }) {
  const cast = useQuery({ queryKey: ['cast'], queryFn: api.cast });
  const production = useQuery({ queryKey: ['production'], queryFn: api.production });
  const chosen = useView((s) => s.line);
  const playing = useView((s) => s.playing);
  const marked = useView((s) => s.marked);
  const line = all.find((l) => l.id === chosen);
  const isMarked = new Set(marked);
  const several = all.filter((l) => isMarked.has(l.id));
  const member = cast.data?.find((m) => m.name === line?.character) ?? cast.data?.[0];
  const { id, duration, state } = line ?? {};
  useEffect(() => {
    if (id === undefined || duration === undefined) return;
    fetched({ queryKey: ['line', id], queryFn: () => fetchLine(id) })
      .then((l) => player.load(id, l.voice, l.document.listen))
      .catch(tell);
    if (state && speaks({ state })) want(id, duration);
  }, [id, duration, state]);
  // What plays here is heard here.
  useEffect(() => player.stop, []);
  const open = all.filter((l) => !speaks(l));
  const unwritten = all.filter(lacksText);
  const doubtful = all.filter((l) => l.doubtful_words > 0).length;
  return (
    <aside className={css.side}>
      <div>
        <h2>{production.data?.name}</h2>
        {production.data && (
          <span className="soft">
            {rateName(production.data.grid)} frames a second · first frame {production.data.grid.first}
          </span>
        )}
      </div>
      <div className={css.portrait}>
        {member ? (
          <Suspense fallback={null}>
            <SpeakingStage member={member} />
          </Suspense>
        ) : (
          cast.data && <p className={css.nobody}>Nobody is in the cast yet: drop a character here.</p>
        )}
      </div>
      {several.length > 1 && <ManySide lines={several} />}
      {line && several.length <= 1 && (
        <>
          <h2>
            Line {line.number}
            {line.character ? `, ${line.character}` : ''}
          </h2>
          <div className={css.said}>
            {line.text || (
              <span className="soft">
                {line.idle
                  ? 'Nothing is said: idle motion, which comes round.'
                  : 'This line has no text yet.'}
              </span>
            )}
          </div>
          <BySpeaker line={line} />
          <div className="soft">
            {line.recording_name}
            <br />
            {line.duration.toFixed(2)} s · {line.rate / 1000} kHz ·{' '}
            {line.channels === 1 ? 'mono' : `${line.channels} channels`}
            <br />
            frames {line.first_frame}–{line.last_sound_frame}
          </div>
          {line.problem && <Problem>{line.problem}</Problem>}
          <div className={css.row2}>
            <Press kind="main" gives="openLine" cap onClick={() => go('score', line.id)}>
              Open the score
            </Press>
            <Press gives="play" cap onClick={() => give('play')}>
              {playing ? 'Stop' : 'Play'}
            </Press>
            <Press kind="quiet" onClick={() => deleteLines([line.id])}>
              Delete
            </Press>
          </div>
          <h2>What to do next</h2>
          <div>
            {open.length > 0 && <div>{count(open.length, 'line')} not timed yet</div>}
            {doubtful > 0 && <div>{count(doubtful, 'line')} with doubtful words: listen to those</div>}
            {unwritten.length > 0 && (
              <div data-testid="unwritten">
                {count(unwritten.length, 'line')} without a text: type it for better times,{' '}
                <Press kind="link" testId="draft-texts" onClick={() => draftTexts(unwritten)}>
                  have it drafted
                </Press>{' '}
                or{' '}
                <Press kind="link" testId="texts-from-script" onClick={() => set({ matching: true })}>
                  find it in a script
                </Press>
              </div>
            )}
            {open.length === 0 && doubtful === 0 && unwritten.length === 0 && (
              <div>Every line speaks. Deliver them.</div>
            )}
          </div>
        </>
      )}
    </aside>
  );
}
