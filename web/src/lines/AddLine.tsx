import { FileButton, Modal, Textarea } from '@mantine/core';
import { Dropzone } from '@mantine/dropzone';
import { useQuery } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { api, queries, sentence } from '../api/client';
import { MODEL_FILES, characterName } from '../cast/files';
import { go, set, useView } from '../state';
import { Press } from '../widgets/Press';
import { Problem } from '../widgets/Problem';
import css from './AddLine.module.css';
import { IdleForm } from './IdleForm';
import { areMany } from './many/gather';
import { LanguagePick } from './LanguagePick';
import { Recorder } from './Recorder';
import { WhoPick } from './WhoPick';

/** Brings a recording in: file, text, character. What was typed stays if something is refused. */
export function AddLine() {
  const adding = useView((s) => s.adding);
  return (
    <Modal opened={adding !== null} onClose={close} title="Add a line" size={560}>
      {adding && <AddWhat key={adding[0]?.name} dropped={adding[0] ?? null} />}
    </Modal>
  );
}

/** A recording, or nothing that is said. */
function AddWhat({ dropped }: { dropped: File | null }) {
  const [idle, setIdle] = useState(false);
  return idle ? (
    <IdleForm onBack={() => setIdle(false)} onDone={close} />
  ) : (
    <AddForm dropped={dropped} onIdle={() => setIdle(true)} />
  );
}

function close() {
  set({ adding: null });
}

/** Takes one recording, or goes over to looking many through. */
function take(files: File[], one: (file: File | null) => void) {
  if (areMany(files)) set({ adding: null, many: files });
  else one(files[0] ?? null);
}

function AddForm({ dropped, onIdle }: { dropped: File | null; onIdle: () => void }) {
  const cast = useQuery({ queryKey: ['cast'], queryFn: api.cast });
  const [file, setFile] = useState<File | null>(dropped);
  const [text, setText] = useState('');
  const [language, setLanguage] = useState('');
  const [character, setCharacter] = useState<string | null>(null);
  const [problem, setProblem] = useState('');
  const [busy, setBusy] = useState(false);
  const [recording, setRecording] = useState(false);
  const folder = useRef<HTMLInputElement | null>(null);
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
      const line = await api.addLine(file, text, language, who);
      // The answer may be older than the end of the analysis, so the line is asked for anew.
      await queries.invalidateQueries({ queryKey: ['lines'] });
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
      className={css.form}
      onSubmit={(event) => {
        event.preventDefault();
        void add();
      }}
    >
      <Dropzone
        onDrop={(files) => {
          take(files, setFile);
          setProblem('');
        }}
        inputProps={{ 'aria-label': 'Recording' }}
      >
        <div className={css.file} data-empty={!file || undefined}>
          {file ? (
            <b>{file.name}</b>
          ) : (
            'Drop the recording here, or several, a zip, a table; or click to choose'
          )}
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
        <div className={css.row}>
          <Press kind="link" testId="record-here" onClick={() => setRecording(true)}>
            Record it here, from the microphone
          </Press>
          <Press kind="link" onClick={() => folder.current?.click()}>
            Choose a folder of recordings
          </Press>
          <Press kind="link" testId="add-nothing-said" onClick={onIdle}>
            Nothing is said: idle motion
          </Press>
          <input
            // A folder is chosen by an attribute that React has no name for.
            ref={(input) => {
              input?.setAttribute('webkitdirectory', '');
              folder.current = input;
            }}
            type="file"
            hidden
            multiple
            onChange={(event) => set({ adding: null, many: [...(event.currentTarget.files ?? [])] })}
          />
        </div>
      )}
      <Textarea
        label="What is said in it"
        rows={4}
        value={text}
        data-testid="new-text"
        data-autofocus
        placeholder="Type or paste the words. [laughs] or [breath] is heard and no word. Sounds may stand behind a word between slashes: Odile /oʊˈdil/. If several speak, BRAM: before what each says. Without a text the sounds alone are heard."
        onChange={(e) => setText(e.target.value)}
        onKeyDown={(e) => {
          // Enter alone is a new line of the text.
          if (e.key === 'Enter' && (e.ctrlKey || e.metaKey)) e.currentTarget.form?.requestSubmit();
        }}
      />
      <div className={css.row}>
        <LanguagePick label="in" testId="new-language" value={language} onChange={setLanguage} />
        <FileButton onChange={(file) => void readText(file)} accept=".txt,.srt,.vtt">
          {(props) => (
            <Press kind="link" {...props}>
              Read the text from a file (.txt, .srt, .vtt)
            </Press>
          )}
        </FileButton>
      </div>
      <div className={css.row}>
        <WhoPick label="Who says it" cast={cast.data ?? []} who={who} onChange={setCharacter} />
        <FileButton onChange={(files) => void bringIn(files)} accept={MODEL_FILES} multiple>
          {(props) => <Press {...props}>Another character …</Press>}
        </FileButton>
      </div>
      {problem && <Problem>{problem}</Problem>}
      <div className={css.end}>
        <Press onClick={close}>Cancel</Press>
        <Press kind="main" type="submit" disabled={busy} testId="add-line">
          {busy ? 'Bringing it in …' : 'Add the line'}
        </Press>
      </div>
    </form>
  );
}
