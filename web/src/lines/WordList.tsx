import { Modal } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { type SaidAs, api, queries, sentence } from '../api/client';
import { set, useView } from '../state';

/** How words are said in this production: names, places, invented words. */
export function WordList() {
  const open = useView((s) => s.wordList);
  return (
    <Modal opened={open} onClose={() => set({ wordList: false })} title="Word list" size={560} centered>
      {open && <List />}
    </Modal>
  );
}

function List() {
  const words = useQuery({ queryKey: ['words'], queryFn: api.words });
  const [word, setWord] = useState('');
  const [sounds, setSounds] = useState('');
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
          void answer(api.setWord(word, sounds), () => {
            setWord('');
            setSounds('');
          });
        }}
      >
        <label className="named" style={{ flex: 1 }}>
          Word
          <input
            className="field"
            data-testid="list-word"
            value={word}
            onChange={(e) => setWord(e.target.value)}
          />
        </label>
        <label className="named" style={{ flex: 1.4 }}>
          Said as
          <input
            className="field"
            data-testid="list-sounds"
            value={sounds}
            placeholder="oʊˈdil"
            onChange={(e) => setSounds(e.target.value)}
          />
        </label>
        <button className="button main" disabled={!word.trim() || !sounds.trim()}>
          Add
        </button>
      </form>
      {problem && (
        <div className="problem" role="alert">
          {problem}
        </div>
      )}
      {removed && (
        <div className="soft">
          “{removed.word}” is off the list.{' '}
          <button
            className="link"
            onClick={() => void answer(api.setWord(removed.word, removed.arpabet), () => setRemoved(null))}
          >
            Put it back
          </button>
        </div>
      )}
      {words.data?.length === 0 && <div className="soft">No word is listed yet.</div>}
      {words.data && words.data.length > 0 && (
        <table className="word-list">
          <thead>
            <tr>
              <th>Word</th>
              <th>Said as</th>
              <th>ARPAbet</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {words.data.map((entry) => (
              <tr key={entry.word}>
                <td>
                  <b>{entry.word}</b>
                </td>
                <td className="ipa">{entry.ipa}</td>
                <td>{entry.arpabet}</td>
                <td>
                  <button
                    className="quiet"
                    onClick={() => void answer(api.removeWord(entry.word), () => setRemoved(entry))}
                  >
                    Remove
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}
