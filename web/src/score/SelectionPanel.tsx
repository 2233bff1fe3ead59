import { type Grid, type LineView, type Word, isDoubtful } from '../api/client';
import { loopWord } from '../commands';
import { set, useView } from '../state';
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
          word · {framesOf(grid, word.span)} · {(length * 1000).toFixed(0)} ms
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
      <dl className="facts">
        <dt>Heard</dt>
        <dd>
          {Math.round(word.confidence * 100)} %, {sure(word)}
        </dd>
        {word.pitch ? (
          <>
            <dt>Pitch</dt>
            <dd>{word.pitch.toFixed(0)} Hz</dd>
          </>
        ) : (
          <>
            <dt>Pitch</dt>
            <dd>without voice</dd>
          </>
        )}
        {sound && (
          <>
            <dt>Sound {sound.phone}</dt>
            <dd>
              {framesOf(grid, sound.span)}
              <br />
              {((sound.span.end - sound.span.start) * 1000).toFixed(0)} ms, heard{' '}
              {Math.round(sound.confidence * 100)} %
            </dd>
          </>
        )}
      </dl>
      <div style={{ display: 'flex', gap: 8, marginTop: 'auto' }}>
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
