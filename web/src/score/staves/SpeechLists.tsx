import { memo } from 'react';
import type { Grid, LineView } from '../../api/client';
import { isDoubtful } from '../../api/client';
import { useView } from '../../state';
import { useAlphabet } from '../alphabet';
import { choose, idsOf, speechBench, theWord } from '../chosen';
import { soundIsDoubtful, soundsAt, wordsOf } from '../line';
import * as player from '../player';
import { framesOf } from '../time';
import { Roving } from './Roving';

/** Words and the sounds of the chosen one as lists, for the keyboard and for those who listen to the page. */
export const SpeechLists = memo(function SpeechLists({ line, grid }: { line: LineView; grid: Grid }) {
  const chosen = useView((s) => s.chosen);
  const alphabet = useAlphabet(line);
  const words = wordsOf(line);
  const word = theWord(line, chosen);
  const place = word ? words.indexOf(word) : -1;
  return (
    <>
      <Roving
        label="Words of the line"
        testId="list-words"
        chosen={idsOf(chosen, 'words').at(-1) ?? word?.id ?? null}
        all={words.map((w) => ({
          id: w.id,
          says: `${w.text}, ${framesOf(grid, w.span)}${w.unsaid ? ', not said' : w.pinned ? ', pinned' : isDoubtful(w) ? ', doubtful' : ''}`,
        }))}
        onChoose={(id) => {
          choose({ what: 'words', ids: [id] }, speechBench());
          player.seek(words.find((w) => w.id === id)?.span.start ?? 0);
        }}
      />
      <Roving
        label={word ? `Sounds of ${word.text}` : 'Sounds: choose a word first'}
        testId="list-sounds"
        chosen={idsOf(chosen, 'sounds').at(-1) ?? null}
        all={soundsAt(line, place).map((s) => ({
          id: s.id,
          says: `${alphabet.of(s)}, ${framesOf(grid, s.span)}${soundIsDoubtful(line, s) ? ', doubtful' : ''}`,
        }))}
        onChoose={(id) => {
          choose({ what: 'sounds', ids: [id] }, speechBench());
          player.seek(soundsAt(line, place).find((s) => s.id === id)?.span.start ?? 0);
        }}
      />
    </>
  );
});
