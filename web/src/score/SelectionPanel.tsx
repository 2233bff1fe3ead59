import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { act } from '../api/act';
import {
  type Grid,
  type LineView,
  type Phone,
  type Sound,
  type Word,
  api,
  ipaOf,
  isDoubtful,
  phones,
  tell,
} from '../api/client';
import { loopWord } from '../commands';
import { set, useView } from '../state';
import { correct, joinSound, pinWord, splitSound, takeOut } from './correct';
import { soundIsDoubtful, soundOf, soundsAt, soundsOf, wordOf, wordsOf } from './draw';
import { ReachSlider } from './ReachSlider';
import * as player from './player';
import { framesOf } from './time';

interface Props {
  line: LineView;
  grid: Grid;
}

const sure = (word: Word) =>
  isDoubtful(word) ? 'doubtful: listen and compare' : word.confidence >= 0.7 ? 'sure' : 'fairly sure';

/** The bench: what is selected. */
export function SelectionPanel({ line, grid }: Props) {
  const selected = useView((s) => s.selected);
  const loop = useView((s) => s.loop);
  const words = wordsOf(line);
  const word = wordOf(line, selected.word);
  const sound = soundOf(line, selected.sound);
  if (!word && sound) {
    return (
      <section className="panel" aria-label="Selection">
        <SoundPart line={line} grid={grid} sound={sound} />
      </section>
    );
  }
  if (!word) return <Overview line={line} />;
  const place = words.indexOf(word);
  const mine = soundsAt(line, place);
  const length = word.span.end - word.span.start;
  const stress = line.phrasing?.stress[place] ?? 0.5;
  return (
    <section className="panel" aria-label="Selection">
      <div>
        <WordTitle key={`${line.summary.id} ${word.id} ${word.text}`} line={line} word={word} />
        <span className="soft">
          {framesOf(grid, word.span)} · {(length * 1000).toFixed(0)} ms · heard{' '}
          {Math.round(word.confidence * 100)} %, {word.pinned ? 'pinned' : sure(word)} ·{' '}
          {word.pitch ? `pitch ${word.pitch.toFixed(0)} Hz` : 'without voice'}
          {stress > 0.65 && ' · stressed'}
        </span>
      </div>
      <div className="soundrow">
        {mine.map((s) => (
          <button
            key={s.id}
            className={soundIsDoubtful(line, s) ? 'chip doubtful' : 'chip'}
            aria-pressed={s.id === selected.sound}
            style={s.id === selected.sound ? { borderColor: 'var(--accent)' } : undefined}
            onClick={() => {
              set({ selected: { word: word.id, sound: s.id } });
              player.seek(s.span.start, true);
            }}
          >
            {s.phone}
            <span className="ipa">{ipaOf(s.phone)}</span>
          </button>
        ))}
      </div>
      <div className="diction">
        {sound ? (
          <ReachSlider
            key={`sound ${sound.id}`}
            line={line}
            of={{ kind: 'sound', of: sound.id }}
            title={`Reach of ${sound.phone}`}
          />
        ) : (
          <ReachSlider key={`word ${word.id}`} line={line} of={{ kind: 'word', of: word.id }} title="Reach" />
        )}
      </div>
      {sound ? (
        <SoundPart line={line} grid={grid} sound={sound} />
      ) : (
        line.summary.state === 'timed' && (
          <SaidAsPart key={`${line.summary.id} ${word.id} ${word.text}`} line={line} word={word} />
        )
      )}
      <div style={{ display: 'flex', gap: 8, marginTop: 'auto', flexWrap: 'wrap' }}>
        <button className="button" aria-pressed={word.pinned ?? false} onClick={pinWord} data-testid="pin">
          {word.pinned ? 'Unpin' : isDoubtful(word) ? 'It is right, pin it' : 'Pin'}
          <kbd className="key">K</kbd>
        </button>
        <button className="button" aria-pressed={loop !== null} onClick={loopWord}>
          {loop ? 'Stop looping' : 'Loop'}
          <kbd className="key">L</kbd>
        </button>
        <button className="button" onClick={() => set({ selected: { word: null, sound: null } })}>
          Let go
        </button>
      </div>
    </section>
  );
}

/** What there is to know while nothing is chosen. */
function Overview({ line }: { line: LineView }) {
  const words = wordsOf(line);
  const doubtful = words.filter((w) => isDoubtful(w)).length;
  const pinned = words.filter((w) => w.pinned).length;
  const { phrasing } = line;
  return (
    <section className="panel" aria-label="Selection">
      <h2>Nothing chosen</h2>
      <div className="soft">
        Click a word or a sound on its stave, or go from word to word with the arrow keys. Double-click loops
        it.
      </div>
      {words.length > 0 && (
        <dl className="facts">
          <dt>Words</dt>
          <dd>{words.length}</dd>
          <dt>Doubtful, pinned</dt>
          <dd>
            {doubtful === 0 ? 'none' : doubtful}, {pinned === 0 ? 'none' : pinned}
          </dd>
          {phrasing && (
            <>
              <dt>Phrases, breaths</dt>
              <dd>
                {phrasing.phrases.length}, {phrasing.breaths.length === 0 ? 'none' : phrasing.breaths.length}
              </dd>
              <dt>Speaking rate</dt>
              <dd>{phrasing.rate.toFixed(1)} syllables a second</dd>
              <dt>Pitch</dt>
              <dd>
                {phrasing.pitch_hz > 0
                  ? `${phrasing.pitch_hz.toFixed(0)} Hz, over ${phrasing.pitch_range.toFixed(0)} semitones`
                  : 'without voice'}
              </dd>
            </>
          )}
        </dl>
      )}
    </section>
  );
}

/** The word as it is written; a click or E types it anew. */
function WordTitle({ line, word }: { line: LineView; word: Word }) {
  const retyping = useView((s) => s.retyping);
  const [text, setText] = useState(word.text);
  const done = () => set({ retyping: false });
  if (!retyping || line.summary.state !== 'timed') {
    return (
      <button
        className="word-title"
        title="Retype this word (E)"
        data-testid="word-title"
        onClick={() => set({ retyping: true })}
      >
        {word.text}
      </button>
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
      <input
        className="field word-field"
        aria-label="The word as it is said"
        data-testid="retype"
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
function SaidAsPart({ line, word }: { line: LineView; word: Word }) {
  const { id } = line.summary;
  const place = wordsOf(line).indexOf(word);
  const said = soundsAt(line, place)
    .map((s) => `${s.phone}${s.stress ?? ''}`)
    .join(' ');
  const ways = useQuery({ queryKey: ['ways', id, word.id, said], queryFn: () => api.ways(id, word.id) });
  const [own, setOwn] = useState('');
  const [everywhere, setEverywhere] = useState(false);
  if (!ways.data) return null;
  const say = async (sounds: string) => {
    if (!sounds.trim()) return;
    try {
      if (everywhere) await api.setWord(word.text, sounds);
      await act(id, { do: 'pronounce', word: word.id, sounds });
    } catch (error) {
      tell(error);
    }
  };
  return (
    <div className="sound-part">
      <div className="sound-part-row">
        <label className="soft">
          said{' '}
          <select
            className="field small ipa"
            data-testid="ways"
            value={ways.data.now.arpabet}
            onChange={(e) => void say(e.target.value)}
          >
            {ways.data.ways.map((way) => (
              <option key={way.arpabet} value={way.arpabet}>
                {way.ipa}
              </option>
            ))}
          </select>
        </label>
        <form
          style={{ display: 'flex', gap: 6, flex: 1, minWidth: 150 }}
          onSubmit={(event) => {
            event.preventDefault();
            void say(own);
          }}
        >
          <input
            className="field small"
            style={{ flex: 1, minWidth: 60 }}
            aria-label="Other sounds, in the phonetic alphabet or ARPAbet"
            placeholder="other: ˈhɑɹbɚ or HH AA1 …"
            data-testid="own-way"
            value={own}
            onChange={(event) => setOwn(event.target.value)}
          />
          <button className="button" disabled={!own.trim()}>
            Say
          </button>
        </form>
      </div>
      <label className="soft" style={{ display: 'flex', gap: 6, alignItems: 'center' }}>
        <input type="checkbox" checked={everywhere} onChange={(e) => setEverywhere(e.target.checked)} />
        in every line (word list){!ways.data.listed && ' · not in the dictionary, sounds guessed'}
      </label>
    </div>
  );
}

/** One sound: what it is, when it is, and what can be done to it. */
function SoundPart({ line, grid, sound }: Props & { sound: Sound }) {
  const length = sound.span.end - sound.span.start;
  const next = soundsOf(line)[soundsOf(line).indexOf(sound) + 1];
  return (
    <div className="sound-part">
      <div>
        <b>{sound.phone === 'SIL' ? 'Pause' : `Sound ${sound.phone}`}</b>{' '}
        <span className="soft">
          {framesOf(grid, sound.span)} · {(length * 1000).toFixed(0)} ms · heard{' '}
          {Math.round(sound.confidence * 100)} %
          {sound.release != null && ` · opens after ${(sound.release * length * 1000).toFixed(0)} ms`}
        </span>
      </div>
      <div className="sound-part-row">
        <label className="soft">
          is{' '}
          <select
            className="field small"
            data-testid="replace-sound"
            value={sound.phone}
            onChange={(e) => correct({ kind: 'replace', sound: sound.id, phone: e.target.value as Phone })}
          >
            {phones().map(([phone, ipa]) => (
              <option key={phone} value={phone}>
                {phone === 'SIL' ? 'pause' : `${phone} ${ipa}`}
              </option>
            ))}
          </select>
        </label>
        <button className="button" onClick={splitSound} title="Split at the playhead (S)">
          Split
        </button>
        <button
          className="button"
          onClick={joinSound}
          disabled={next?.word !== sound.word}
          title="Join with the sound after it (J)"
        >
          Join
        </button>
        <button
          className="button"
          onClick={() => correct({ kind: 'insert', sound: sound.id, phone: 'AH' })}
          title="Put a sound in before this one, then choose which"
        >
          Put in before
        </button>
        <button className="button" onClick={takeOut} title="Take this sound out (Delete)">
          Take out
        </button>
      </div>
      <span className="soft">
        [ and ] move its start by 5 ms, {'{'} and {'}'} by a frame; or drag its edge, with Alt alone.
      </span>
    </div>
  );
}
