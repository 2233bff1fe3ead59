import { Checkbox, TextInput } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { act } from '../../api/act';
import {
  type Grid,
  type LineView,
  type Phone,
  type Sound,
  type Word,
  api,
  isDoubtful,
  phones,
} from '../../api/client';
import { give } from '../../commands';
import { type Span, set, useView } from '../../state';
import { Hint } from '../../widgets/Hint';
import { Pick } from '../../widgets/Pick';
import { Press } from '../../widgets/Press';
import { TextField } from '../../widgets/TextField';
import { tell } from '../../widgets/tell';
import { useAlphabet } from '../alphabet';
import { choose, chosenWords, idsOf, theSound, theWord } from '../chosen';
import { correct, deleteSounds, joinSound, pinWords, splitSound } from '../correct';
import { soundIsDoubtful, soundsAt, soundsIn, soundsOf, unwrittenOf, wordsOf } from '../line';
import * as player from '../player';
import { framesOf } from '../time';
import css from './bench.module.css';
import { ReachSlider } from './ReachSlider';
import own from './WordBench.module.css';

interface Props {
  line: LineView;
  grid: Grid;
}

const sure = (word: Word) =>
  isDoubtful(word) ? 'doubtful: listen and compare' : word.confidence >= 0.7 ? 'sure' : 'fairly sure';

/** The bench: the words and sounds that are chosen. */
export function WordBench({ line, grid }: Props) {
  const chosen = useView((s) => s.chosen);
  const loop = useView((s) => s.loop);
  const alphabet = useAlphabet(line);
  const word = theWord(line, chosen);
  const sound = theSound(line, chosen);
  const words = chosenWords(line, chosen);
  const sounds = idsOf(chosen, 'sounds');
  if (!word && !sound) return <Nothing line={line} />;
  const many = words.length > 1;
  // What lasts no time has no sounds to be worked on.
  const unsaid = Boolean(word?.unsaid) && !many;
  const unwritten =
    !word && sound && unwrittenOf(line).find((s) => soundsIn(line, s).some((one) => one.id === sound.id));
  return (
    <section className={css.bench} aria-label="Word" data-testid="word-bench">
      <div className={css.column}>
        {many ? (
          <>
            <h2>{words.length} words</h2>
            <span className={css.note}>{words.map((w) => w.text).join(' ')}</span>
          </>
        ) : (
          unwritten && (
            <Unwritten key={`${line.summary.id} ${unwritten.start}`} line={line} span={unwritten} />
          )
        )}
        {!many && word && (
          <OneWord key={`${line.summary.id} ${word.id} ${word.text}`} line={line} grid={grid} word={word} />
        )}
        <div className={css.row}>
          {word && !unsaid && (
            <Press pressed={words.every((w) => w.pinned)} gives="pin" cap testId="pin" onClick={pinWords}>
              {words.every((w) => w.pinned)
                ? 'Unpin'
                : words.some(isDoubtful) && !many
                  ? 'It is right, pin it'
                  : 'Pin'}
            </Press>
          )}
          {!unsaid && (
            <Press pressed={loop !== null} gives="loop" cap onClick={() => give('loop')}>
              {loop ? 'Stop looping' : 'Loop'}
            </Press>
          )}
          <Press kind="quiet" gives="none" onClick={() => choose(null)}>
            Deselect
          </Press>
        </div>
      </div>
      {!unsaid && (
        <>
          <div className={css.column}>
            <h3>Reach</h3>
            <span className={css.note}>How far the face goes towards the full shape.</span>
            {word && !many && (
              <ReachSlider
                key={`word ${word.id}`}
                line={line}
                of={{ kind: 'word', of: word.id }}
                title={`“${word.text}”`}
              />
            )}
            {sounds.slice(-4).map((id) => {
              const one = soundsOf(line).find((s) => s.id === id);
              return (
                one && (
                  <ReachSlider
                    key={`sound ${id}`}
                    line={line}
                    of={{ kind: 'sound', of: id }}
                    title={`sound ${alphabet.of(one)}`}
                  />
                )
              );
            })}
            {word && !many && line.summary.state === 'timed' && (
              <SaidAs key={`${line.summary.id} ${word.id} ${word.text}`} line={line} word={word} />
            )}
          </div>
          <div className={css.column}>
            {sound ? (
              <OneSound line={line} grid={grid} sound={sound} count={sounds.length} />
            ) : (
              <>
                <h3>Times</h3>
                <span className={css.note}>
                  Drag the word to move it, its ends or the edges of its sounds to stretch them (with Alt,
                  without their neighbours).
                </span>
                <Moves />
              </>
            )}
          </div>
        </>
      )}
    </section>
  );
}

/** Moving what is chosen by small steps. */
function Moves() {
  return (
    <div className={css.row}>
      <Press gives="earlier" onClick={() => give('earlier')}>
        −1 frame
      </Press>
      <Press gives="later" onClick={() => give('later')}>
        +1 frame
      </Press>
      <Press gives="earlierFine" onClick={() => give('earlierFine')}>
        −5 ms
      </Press>
      <Press gives="laterFine" onClick={() => give('laterFine')}>
        +5 ms
      </Press>
    </div>
  );
}

function Nothing({ line }: { line: LineView }) {
  const timed = wordsOf(line).length > 0;
  return (
    <section className={css.bench} aria-label="Word" data-testid="word-bench">
      <div className={css.column} style={{ gridColumn: 'span 2' }}>
        <h2>No word is chosen</h2>
        <span className={css.note}>
          {timed
            ? 'Press a word or a sound on its stave, or walk from word to word with the arrow keys. A double click loops it; with Shift or Ctrl several are chosen, and Ctrl A chooses all.'
            : 'This line has no words yet: type its text on the bench Line.'}
        </span>
        {timed && (
          <div className={css.row}>
            <Press gives="wordNext" cap onClick={() => give('wordNext')}>
              Next word
            </Press>
            <Press gives="doubtful" cap onClick={() => give('doubtful')}>
              Next doubtful sound
            </Press>
          </div>
        )}
      </div>
    </section>
  );
}

function OneWord({ line, grid, word }: Props & { word: Word }) {
  const chosen = useView((s) => s.chosen);
  const alphabet = useAlphabet(line);
  const place = wordsOf(line).indexOf(word);
  const length = word.span.end - word.span.start;
  const stress = line.phrasing?.stress[place] ?? 0.5;
  return (
    <>
      <WordTitle line={line} word={word} />
      {word.unsaid ? (
        <div className={css.row}>
          <span className={css.note}>Written, but not said: the mouth leaves it out.</span>
          <Press
            testId="take-out"
            onClick={() => void act(line.summary.id, { do: 'retype', word: word.id, text: '' })}
          >
            Take it out of the text
          </Press>
        </div>
      ) : (
        <span className={css.note}>
          {framesOf(grid, word.span)} · {(length * 1000).toFixed(0)} ms · heard{' '}
          {Math.round(word.confidence * 100)} %, {word.pinned ? 'pinned' : sure(word)} ·{' '}
          {word.pitch ? `pitch ${word.pitch.toFixed(0)} Hz` : 'without voice'}
          {stress > 0.65 && ' · stressed'}
        </span>
      )}
      {word.unread && (
        <span className={css.note}>“{word.unread}” in its typed sounds is no sound and was left out.</span>
      )}
      <div className={css.chips} role="group" aria-label="Sounds of the word">
        {soundsAt(line, place).map((s) => (
          <Press
            key={s.id}
            kind="chip"
            className={soundIsDoubtful(line, s) ? own.doubtful : undefined}
            pressed={idsOf(chosen, 'sounds').includes(s.id)}
            onClick={() => {
              choose({ what: 'sounds', ids: [s.id] });
              player.seek(s.span.start, true);
            }}
          >
            <span className={alphabet.ipa ? 'ipa' : undefined}>{alphabet.of(s)}</span>
          </Press>
        ))}
      </div>
    </>
  );
}

/** Something that is said and not written: a draft of it is offered, to be put right and written. */
function Unwritten({ line, span }: { line: LineView; span: Span }) {
  const { id } = line.summary;
  const { start, end } = span;
  const draft = useQuery({
    queryKey: ['draft', id, line.voice, start, end],
    queryFn: () => api.draft(id, span),
    retry: false,
  });
  const offered = draft.data?.text ?? '';
  return (
    <>
      <h2>Said, but not in the text</h2>
      <span className={css.note}>
        {((end - start) * 1000).toFixed(0)} ms. The mouth says the sounds that were heard; write the words,
        and the line is timed with them.
      </span>
      <div className={css.row}>
        <TextField
          label="What is said here"
          testId="unwritten"
          value={offered}
          placeholder={draft.isLoading ? 'Listening …' : 'Type what is said here'}
          onSubmit={(text) => void act(id, { do: 'write', at: start, text })}
        >
          {(text) => (
            <Press type="submit" kind="main" testId="write" disabled={!text.trim()}>
              Write it
            </Press>
          )}
        </TextField>
      </div>
      {offered && <span className={css.note}>That is a draft: listen and compare.</span>}
    </>
  );
}

/** The word as it is written; a click or E types it anew. */
function WordTitle({ line, word }: { line: LineView; word: Word }) {
  const retyping = useView((s) => s.retyping);
  const [text, setText] = useState(word.text);
  const done = () => set({ retyping: false });
  if (!retyping || line.summary.state !== 'timed') {
    return (
      <Hint says="Retype this word (E)">
        <button className={own.title} data-testid="word-title" onClick={() => set({ retyping: true })}>
          {word.text}
        </button>
      </Hint>
    );
  }
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        done();
        if (text.trim() && text.trim() !== word.text)
          void act(line.summary.id, { do: 'retype', word: word.id, text });
      }}
    >
      <TextInput
        aria-label="The word as it is said"
        data-testid="retype"
        classNames={{ input: own.typed }}
        autoFocus
        value={text}
        onFocus={(event) => event.target.select()}
        onChange={(event) => setText(event.target.value)}
        onKeyDown={(event) => event.key === 'Escape' && done()}
        onBlur={done}
      />
    </form>
  );
}

/** How the word is said: one of the ways that are known, or one that is typed. */
function SaidAs({ line, word }: { line: LineView; word: Word }) {
  const { id } = line.summary;
  const alphabet = useAlphabet(line);
  const place = wordsOf(line).indexOf(word);
  const said = soundsAt(line, place)
    .map((s) => `${s.symbol ?? s.phone}${s.stress ?? ''}`)
    .join(' ');
  const ways = useQuery({ queryKey: ['ways', id, word.id, said], queryFn: () => api.ways(id, word.id) });
  const [everywhere, setEverywhere] = useState(false);
  if (!ways.data) return null;
  const say = async (sounds: string) => {
    try {
      const { language } = line.document;
      if (everywhere) {
        await api.setWord(word.text, sounds, language);
        // In another language the list's sounds take the place of those in the text.
        if (language) return;
      }
      await act(id, { do: 'pronounce', word: word.id, sounds });
    } catch (error) {
      tell(error);
    }
  };
  return (
    <>
      <h3>Said as</h3>
      <Pick
        label="How the word is said"
        testId="ways"
        ipa={alphabet.ipa}
        value={ways.data.now.arpabet}
        options={ways.data.ways.map((way) => [way.arpabet, alphabet.ipa ? way.ipa : way.arpabet] as const)}
        onChange={(way) => void say(way)}
      />
      <TextField
        label="Other sounds, in the phonetic alphabet or ARPAbet"
        placeholder="other: ˈhɑɹbɚ or HH AA1 …"
        testId="own-way"
        onSubmit={(sounds) => void say(sounds)}
      >
        {(text) => (
          <Press type="submit" disabled={!text.trim()}>
            Say
          </Press>
        )}
      </TextField>
      <Checkbox
        label={`in every line (word list)${ways.data.listed ? '' : ' · not in the dictionary, sounds guessed'}`}
        checked={everywhere}
        onChange={(e) => setEverywhere(e.currentTarget.checked)}
      />
    </>
  );
}

/** One sound: what it is, when it is, and what can be done to it. */
function OneSound({ line, grid, sound, count }: Props & { sound: Sound; count: number }) {
  const alphabet = useAlphabet(line);
  const length = sound.span.end - sound.span.start;
  const next = soundsOf(line)[soundsOf(line).indexOf(sound) + 1];
  return (
    <>
      <div className={css.row}>
        <h3>{count > 1 ? `${count} sounds, the last:` : sound.phone === 'SIL' ? 'Pause' : 'Sound'}</h3>
        <Pick
          label="What the sound is"
          testId="replace-sound"
          width={110}
          value={sound.phone}
          ipa={alphabet.ipa}
          options={phones().map(
            ([phone]) => [phone as Phone, phone === 'SIL' ? 'pause' : alphabet.of({ phone })] as const,
          )}
          onChange={(phone) => correct({ kind: 'replace', sound: sound.id, phone })}
        />
      </div>
      <span className={css.note}>
        {framesOf(grid, sound.span)} · {(length * 1000).toFixed(0)} ms · heard{' '}
        {Math.round(sound.confidence * 100)} %
        {sound.release != null && ` · opens after ${(sound.release * length * 1000).toFixed(0)} ms`}
      </span>
      <div className={css.row}>
        <Press gives="split" onClick={splitSound}>
          Split
        </Press>
        <Press gives="join" onClick={joinSound} disabled={next?.word !== sound.word}>
          Join
        </Press>
        <Press
          hint="Put a sound in before this one, then choose which"
          onClick={() => correct({ kind: 'insert', sound: sound.id, phone: 'AH' })}
        >
          Insert before
        </Press>
        <Press gives="delete" onClick={deleteSounds}>
          Delete
        </Press>
      </div>
      <Moves />
      <span className={css.note}>The start of the sound moves; or drag its edge, with Alt alone.</span>
    </>
  );
}
