import { Checkbox, FileButton, Modal, NativeSelect, Textarea } from '@mantine/core';
import { useState } from 'react';
import { type ScriptFound, type ScriptLine, api, sentence } from '../../api/client';
import { produce, turnProduction } from '../../api/production';
import { remember, useSettings } from '../../settings';
import { set, useView } from '../../state';
import { Long } from '../../widgets/Long';
import { Press } from '../../widgets/Press';
import { Problem } from '../../widgets/Problem';
import { say } from '../../widgets/tell';
import { count, sentenceCase } from '../../widgets/words';
import css from './ManyLines.module.css';
import { toggled } from './toggled';

const close = () => set({ matching: false });
/** Below it a match wants a look before it is taken. */
const SURE = 0.5;
/** Lines of a script that are listed as said nowhere. */
const LISTED = 6;

/** Texts of lines out of a script, matched by what is heard in them. */
export function ScriptMatch() {
  const open = useView((s) => s.matching);
  return (
    <Modal opened={open} onClose={close} title="Texts from a script" size={980}>
      {open && <Form />}
    </Modal>
  );
}

function Form() {
  const kept = useSettings((s) => s.script);
  const [text, setText] = useState(() => kept.map(written).join('\n'));
  const [found, setFound] = useState<ScriptFound | null>(null);
  const [problem, setProblem] = useState('');
  const [busy, setBusy] = useState(false);
  const match = async () => {
    setBusy(true);
    setProblem('');
    try {
      setFound(await api.matchScript(text));
    } catch (error) {
      setProblem(sentence(error));
    } finally {
      setBusy(false);
    }
  };
  const read = async (file: File | null) => {
    if (!file) return;
    try {
      setText(await api.textOf(file));
      setFound(null);
      setProblem('');
    } catch (error) {
      setProblem(sentence(error));
    }
  };
  return (
    <div className={css.form} data-testid="script">
      <Textarea
        label="The script, a line each: NAME: text, numbered lines, or the words alone"
        rows={found ? 3 : 10}
        value={text}
        data-autofocus
        data-testid="script-text"
        placeholder={'BRAM: Pull the shutters down.\nOLD WREN: Whatever for?'}
        onChange={(event) => {
          setText(event.currentTarget.value);
          setFound(null);
        }}
      />
      <div className={css.top}>
        <FileButton onChange={(file) => void read(file)} accept=".txt,.srt,.vtt,.md,.fountain">
          {(props) => (
            <Press kind="link" {...props}>
              Read it from a file
            </Press>
          )}
        </FileButton>
        {!found && (
          <span className="soft">
            Each line without a text is compared, sound by sound, with every line of the script.
          </span>
        )}
      </div>
      {problem && <Problem>{problem}</Problem>}
      {found ? (
        <Matches found={found} again={() => void match()} />
      ) : (
        <div className={css.end}>
          <Press onClick={close}>Cancel</Press>
          <Press
            kind="main"
            testId="match-script"
            disabled={busy || text.trim() === ''}
            onClick={() => void match()}
          >
            {busy ? 'Comparing …' : 'Look which line is said where'}
          </Press>
        </div>
      )}
    </div>
  );
}

/** A line of a script as it is written. */
const written = (line: ScriptLine) => (line.who ? `${line.who}: ${line.text}` : line.text);

function Matches({ found, again }: { found: ScriptFound; again: () => void }) {
  const { script, lines, waiting } = found;
  const [chosen, setChosen] = useState(() => new Map(lines.map((l) => [l.id, l.said[0]?.text ?? null])));
  const [on, setOn] = useState<ReadonlySet<number>>(
    new Set(lines.filter((l) => (l.said[0]?.confidence ?? 0) >= SURE).map((l) => l.id)),
  );
  const going = lines.filter((l) => on.has(l.id) && chosen.get(l.id) != null);
  const said = new Set(lines.map((l) => chosen.get(l.id)));
  const nowhere = script.filter((_, k) => !said.has(k));
  const apply = async () => {
    const of = going.map((l) => script[chosen.get(l.id) ?? 0]);
    const made = await produce({
      do: 'change_lines',
      ids: going.map((l) => l.id),
      change: {
        set: 'texts',
        texts: of.map((line) => line?.text ?? ''),
        characters: of.map((line) => line?.character ?? null),
      },
    });
    if (!made) return;
    remember({ script: [] });
    say(`${sentenceCase(made.says)}; they are timed now.`, {
      does: 'Undo',
      run: () => void turnProduction('undo'),
    });
    close();
  };
  return (
    <>
      <div className={css.top}>
        <b>
          {lines.filter((l) => l.said.length > 0).length} of {count(lines.length, 'line')} found
        </b>
        {waiting > 0 && (
          <span className="soft">
            {waiting} not heard yet{' '}
            <Press kind="link" onClick={again}>
              look again
            </Press>
          </span>
        )}
        {nowhere.length > 0 && (
          <span className="soft" title={nowhere.map(written).join('\n')}>
            said nowhere:{' '}
            {nowhere
              .slice(0, LISTED)
              .map((l) => `“${l.text.slice(0, 24)}”`)
              .join(', ')}
            {nowhere.length > LISTED && ` and ${nowhere.length - LISTED} more`}
          </span>
        )}
      </div>
      {lines.length === 0 ? (
        <p className="soft">
          {waiting > 0
            ? 'The lines without a text are still being listened to; look again in a moment.'
            : 'Every line here has a text already.'}
        </p>
      ) : (
        <Long
          className={css.table}
          role="group"
          rows={lines}
          height={38}
          label="Lines and what they say"
          testId="matches"
        >
          {(line, _, style) => {
            const own = chosen.get(line.id);
            const first = line.said[0];
            const sure = first && own === first.text ? first.confidence : 1;
            const others = line.said.map((s) => s.text);
            return (
              <div key={line.id} className={css.match} style={style}>
                <Checkbox
                  aria-label={`Give line ${line.number} its text`}
                  checked={on.has(line.id) && own != null}
                  disabled={own == null}
                  onChange={() => setOn(toggled(on, line.id))}
                />
                <b>
                  {line.number} <span className="soft">{line.name ?? line.recording_name}</span>
                </b>
                <NativeSelect
                  aria-label={`What line ${line.number} says`}
                  value={own == null ? '' : String(own)}
                  data={[
                    { value: '', label: 'none of the script' },
                    ...[...new Set([...others, ...(own == null ? [] : [own])])].map((k) => ({
                      value: String(k),
                      label: written(script[k] ?? { text: '' }),
                    })),
                    ...(nowhere.length > 0
                      ? [
                          {
                            group: 'said nowhere yet',
                            items: script.flatMap((l, k) =>
                              said.has(k) || others.includes(k)
                                ? []
                                : [{ value: String(k), label: written(l) }],
                            ),
                          },
                        ]
                      : []),
                  ]}
                  onChange={(event) => {
                    const { value } = event.currentTarget;
                    setChosen(new Map(chosen).set(line.id, value === '' ? null : Number(value)));
                    setOn(new Set(on).add(line.id));
                  }}
                />
                <span className={sure < SURE ? css.doubt : 'soft'}>
                  {own == null ? '' : sure < SURE ? 'listen to it' : own === first?.text ? 'sure' : 'chosen'}
                </span>
              </div>
            );
          }}
        </Long>
      )}
      <div className={css.end}>
        <Press onClick={close}>Cancel</Press>
        <Press kind="main" testId="take-texts" disabled={going.length === 0} onClick={() => void apply()}>
          Give {count(going.length, 'line')} their text
        </Press>
      </div>
    </>
  );
}
