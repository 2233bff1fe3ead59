import { type Grid, type LineView, type Phone, type Word, isDoubtful } from '../api/client';
import { loopWord } from '../commands';
import { set, useView } from '../state';
import { acceptWord, correct, takeOut } from './correct';
import { soundsOf, wordsOf } from './draw';
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
  const word = words[selected.word ?? -1];
  const sound = soundsOf(line)[selected.sound ?? -1];
  if (!word && sound && selected.sound !== null) {
    return (
      <section className="panel" aria-label="Selection">
        <SoundPart line={line} grid={grid} index={selected.sound} />
      </section>
    );
  }
  if (!word) {
    const count = words.filter((w) => isDoubtful(w)).length;
    return (
      <section className="panel" aria-label="Selection">
        <h2>Nothing chosen</h2>
        <div className="soft">
          Click a word or a sound on its stave, or go from word to word with the arrow keys. Double-click
          loops it.
        </div>
        {words.length > 0 && (
          <dl className="facts">
            <dt>Words</dt>
            <dd>{words.length}</dd>
            <dt>Sounds</dt>
            <dd>{soundsOf(line).filter((s) => s.phone !== 'SIL').length}</dd>
            <dt>Doubtful words</dt>
            <dd>{count === 0 ? 'none' : count}</dd>
          </dl>
        )}
      </section>
    );
  }
  const mine = soundsOf(line)
    .map((s, i) => ({ s, i }))
    .filter(({ s }) => s.word === selected.word);
  const length = word.span.end - word.span.start;
  return (
    <section className="panel" aria-label="Selection">
      <div>
        <h2>{word.text}</h2>
        <span className="soft">
          word · {framesOf(grid, word.span)} · {(length * 1000).toFixed(0)} ms · heard{' '}
          {Math.round(word.confidence * 100)} %, {sure(word)} ·{' '}
          {word.pitch ? `pitch ${word.pitch.toFixed(0)} Hz` : 'without voice'}
        </span>
      </div>
      <div className="soundrow">
        {mine.map(({ s, i }) => (
          <button
            key={i}
            className={isDoubtful(s) ? 'chip doubtful' : 'chip'}
            aria-pressed={i === selected.sound}
            style={i === selected.sound ? { borderColor: 'var(--accent)' } : undefined}
            onClick={() => {
              set({ selected: { word: selected.word, sound: i } });
              player.seek(s.span.start, true);
            }}
          >
            {s.phone}
            <span className="ipa">{line.ipa[s.phone]}</span>
          </button>
        ))}
      </div>
      {sound && selected.sound !== null && <SoundPart line={line} grid={grid} index={selected.sound} />}
      <div style={{ display: 'flex', gap: 8, marginTop: 'auto', flexWrap: 'wrap' }}>
        {isDoubtful(word) && (
          <button className="button" onClick={acceptWord}>
            Right as it is<kbd className="key">K</kbd>
          </button>
        )}
        <button className="button" aria-pressed={loop !== null} onClick={loopWord}>
          {loop ? 'Stop looping' : 'Loop this word'}
          <kbd className="key">L</kbd>
        </button>
        <button className="button" onClick={() => set({ selected: { word: null, sound: null } })}>
          Let go
        </button>
      </div>
    </section>
  );
}

/** One sound: what it is, when it is, and what can be done to it. */
function SoundPart({ line, grid, index }: Props & { index: number }) {
  const sound = soundsOf(line)[index];
  if (!sound) return null;
  const length = sound.span.end - sound.span.start;
  const middle = (sound.span.start + sound.span.end) / 2;
  return (
    <div className="sound-part">
      <div>
        <b>{sound.phone === 'SIL' ? 'Pause' : `Sound ${sound.phone}`}</b>{' '}
        <span className="soft">
          {framesOf(grid, sound.span)} · {(length * 1000).toFixed(0)} ms · heard{' '}
          {Math.round(sound.confidence * 100)} %
        </span>
      </div>
      <div className="sound-part-row">
        <label className="soft">
          is{' '}
          <select
            className="field small"
            data-testid="replace-sound"
            value={sound.phone}
            onChange={(e) => correct({ kind: 'replace', sound: index, phone: e.target.value as Phone })}
          >
            {Object.entries(line.ipa).map(([phone, ipa]) => (
              <option key={phone} value={phone}>
                {phone === 'SIL' ? 'pause' : `${phone} ${ipa}`}
              </option>
            ))}
          </select>
        </label>
        <button
          className="button"
          onClick={() => correct({ kind: 'split', sound: index, at: middle, phone: sound.phone })}
        >
          Split
        </button>
        <button className="button" onClick={takeOut}>
          Take out
        </button>
      </div>
      <span className="soft">
        [ and ] move its start by 5 ms, {'{'} and {'}'} by a frame; or drag its edge, with Alt alone.
      </span>
    </div>
  );
}
