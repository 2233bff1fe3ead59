import { Modal, TextInput } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { type SaidAs, api, queries, sentence } from '../api/client';
import { useSettings } from '../settings';
import { set, useView } from '../state';
import { Asked } from '../widgets/Asked';
import { Press } from '../widgets/Press';
import { Problem } from '../widgets/Problem';
import { LanguagePick } from './LanguagePick';
import css from './WordList.module.css';

/** How words are said in this production: names, places, invented words. */
export function WordList() {
  const open = useView((s) => s.wordList);
  return (
    <Modal opened={open} onClose={() => set({ wordList: false })} title="Word list" size={560}>
      {open && <List />}
    </Modal>
  );
}

function List() {
  const words = useQuery({ queryKey: ['words'], queryFn: api.words });
  const ipa = useSettings((s) => s.ipa);
  const [word, setWord] = useState('');
  const [sounds, setSounds] = useState('');
  const [language, setLanguage] = useState('');
  const languages = useQuery({ queryKey: ['languages'], queryFn: api.languages });
  const called = (tag: string) => languages.data?.languages.find((l) => l.tag === tag)?.name ?? tag;
  const [problem, setProblem] = useState('');
  const [removed, setRemoved] = useState<SaidAs | null>(null);

  const answer = (list: Promise<SaidAs[]>, done: () => void) =>
    list
      .then((all) => {
        queries.setQueryData(['words'], all);
        setProblem('');
        done();
      })
      .catch((error: unknown) => setProblem(sentence(error)));

  return (
    <div style={{ display: 'flex', flexDirection: 'column', gap: 12 }}>
      <div className="soft">
        Say how a name or an invented word is said, once for all lines. Sounds are written in the phonetic
        alphabet (oʊˈdil) or in ARPAbet, capitals with spaces (OW0 D IY1 L). Lines that have the word are
        timed again; pinned words stay.
      </div>
      <form
        style={{ display: 'flex', gap: 8, alignItems: 'end' }}
        onSubmit={(event) => {
          event.preventDefault();
          void answer(api.setWord(word, sounds, language), () => {
            setWord('');
            setSounds('');
          });
        }}
      >
        <TextInput
          label="Word"
          data-testid="list-word"
          style={{ flex: 1 }}
          value={word}
          onChange={(e) => setWord(e.target.value)}
        />
        <TextInput
          label="Said as"
          data-testid="list-sounds"
          style={{ flex: 1.4 }}
          value={sounds}
          placeholder="oʊˈdil"
          onChange={(e) => setSounds(e.target.value)}
        />
        <LanguagePick label="In" value={language} onChange={setLanguage} />
        <Press kind="main" type="submit" disabled={!word.trim() || !sounds.trim()}>
          Add
        </Press>
      </form>
      {problem && <Problem>{problem}</Problem>}
      {removed && (
        <div className="soft">
          “{removed.word}” is off the list.{' '}
          <Press
            kind="link"
            onClick={() =>
              void answer(api.setWord(removed.word, removed.arpabet, removed.language), () =>
                setRemoved(null),
              )
            }
          >
            Put it back
          </Press>
        </div>
      )}
      <Asked query={words}>
        {(all) =>
          all.length === 0 ? (
            <div className="soft">No word is listed yet.</div>
          ) : (
            <table className={css.words}>
              <thead>
                <tr>
                  <th>Word</th>
                  <th>Said as</th>
                  <th aria-label="Actions" />
                </tr>
              </thead>
              <tbody>
                {all.map((entry) => (
                  <tr key={`${entry.language ?? ''} ${entry.word}`}>
                    <td>
                      <b>{entry.word}</b>{' '}
                      {entry.language && <span className="soft small">{called(entry.language)}</span>}
                    </td>
                    <td className={ipa ? 'ipa' : undefined}>{ipa ? entry.ipa : entry.arpabet}</td>
                    <td>
                      <Press
                        kind="quiet"
                        onClick={() => void answer(api.removeWord(entry), () => setRemoved(entry))}
                      >
                        Delete
                      </Press>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          )
        }
      </Asked>
    </div>
  );
}
