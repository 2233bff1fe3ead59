import { FileButton, Modal } from '@mantine/core';
import { Dropzone } from '@mantine/dropzone';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, queries, sentence } from '../api/client';
import { MODEL_FILES, characterName } from '../cast/files';
import { go, set, useView } from '../state';
import { Recorder } from './Recorder';

/** Brings a recording in: file, text, character. What was typed stays if something is refused. */
export function AddLine() {
  const adding = useView((s) => s.adding);
  return (
    <Modal opened={adding !== null} onClose={close} title="Add a line" size={560} centered>
      {adding && (
        <AddForm key={adding.map((f) => f.name).join()} dropped={adding[0] ?? null} more={adding.slice(1)} />
      )}
    </Modal>
  );
}

function close() {
  set({ adding: null });
}

function AddForm({ dropped, more }: { dropped: File | null; more: File[] }) {
  const cast = useQuery({ queryKey: ['cast'], queryFn: api.cast });
  const [file, setFile] = useState<File | null>(dropped);
  const [text, setText] = useState('');
  const [character, setCharacter] = useState<string | null>(null);
  const [problem, setProblem] = useState('');
  const [busy, setBusy] = useState(false);
  const [recording, setRecording] = useState(false);
  const who = character ?? cast.data?.[0]?.name ?? null;

  // A character is known by its file's name until it is given another.
  const bringIn = async (files: File[]) => {
    if (files.length === 0) return;
    try {
      const { member } = await api.addCharacter(characterName(files), files);
      await queries.invalidateQueries({ queryKey: ['cast'] });
      setCharacter(member.name);
      setProblem('');
    } catch (error) {
      setProblem(sentence(error));
    }
  };
  const readText = async (from: File | null) => {
    if (!from) return;
    try {
      setText(await api.textOf(from));
      setProblem('');
    } catch (error) {
      setProblem(sentence(error));
    }
  };
  const add = async () => {
    if (!file) {
      setProblem('Choose the recording first.');
      return;
    }
    setBusy(true);
    setProblem('');
    try {
      const line = await api.addLine(file, text, who);
      // The answer may be older than the end of the analysis, so the line is asked for anew.
      await queries.invalidateQueries({ queryKey: ['lines'] });
      // Several that were dropped at once come one after the other.
      if (more.length > 0) {
        set({ adding: more });
        return;
      }
      close();
      go('score', line.summary.id);
    } catch (error) {
      setProblem(sentence(error));
    } finally {
      setBusy(false);
    }
  };

  return (
    <form
      style={{ display: 'flex', flexDirection: 'column', gap: 12 }}
      onSubmit={(event) => {
        event.preventDefault();
        void add();
      }}
    >
      <Dropzone
        onDrop={(files) => {
          setFile(files[0] ?? null);
          setProblem('');
        }}
        multiple={false}
        inputProps={{ 'aria-label': 'Recording' }}
      >
        <div style={{ textAlign: 'center' }} className={file ? '' : 'soft'}>
          {file ? <b>{file.name}</b> : 'Drop the recording here, or click to choose it'}
        </div>
      </Dropzone>
      {recording ? (
        <Recorder
          text={text}
          use="Use it"
          onUse={(take) => {
            setFile(take.file);
            setProblem('');
            setRecording(false);
          }}
        />
      ) : (
        <button
          type="button"
          className="link"
          style={{ alignSelf: 'start' }}
          data-testid="record-here"
          onClick={() => setRecording(true)}
        >
          Record it here, from the microphone
        </button>
      )}
      <label className="named">
        What is said in it
        <textarea
          className="field"
          rows={4}
          value={text}
          data-testid="new-text"
          data-autofocus
          placeholder="Type or paste the words. [laughs] or [breath] is heard and no word. Another language: write its sounds between slashes, /bɔ̃ˈʒuʁ/. Without a text the sounds alone are heard, a draft."
          onChange={(e) => setText(e.target.value)}
          onKeyDown={(e) => {
            // Enter alone is a new line of the text.
            if (e.key === 'Enter' && (e.ctrlKey || e.metaKey)) e.currentTarget.form?.requestSubmit();
          }}
        />
      </label>
      <FileButton onChange={(file) => void readText(file)} accept=".txt,.srt,.vtt">
        {(props) => (
          <button type="button" className="link" style={{ alignSelf: 'start' }} {...props}>
            Read the text from a file (.txt, .srt, .vtt)
          </button>
        )}
      </FileButton>
      <div style={{ display: 'flex', gap: 8, alignItems: 'end' }}>
        <label className="named" style={{ flex: 1 }}>
          Who says it
          <select className="field" value={who ?? ''} onChange={(e) => setCharacter(e.target.value)}>
            {cast.data?.map((m) => (
              <option key={m.id}>{m.name}</option>
            ))}
          </select>
        </label>
        <FileButton onChange={(files) => void bringIn(files)} accept={MODEL_FILES} multiple>
          {(props) => (
            <button type="button" className="button" style={{ height: 34 }} {...props}>
              Another character …
            </button>
          )}
        </FileButton>
      </div>
      {problem && (
        <div className="problem" role="alert">
          {problem}
        </div>
      )}
      <div style={{ display: 'flex', gap: 8, justifyContent: 'flex-end' }}>
        <button type="button" className="button" onClick={close}>
          Not now
        </button>
        <button type="submit" className="button main" disabled={busy} data-testid="add-line">
          {busy
            ? 'Bringing it in …'
            : more.length > 0
              ? `Add, then the next of ${more.length}`
              : 'Add the line'}
        </button>
      </div>
    </form>
  );
}
