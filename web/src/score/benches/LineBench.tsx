import { FileButton, Textarea } from '@mantine/core';
import { useState } from 'react';
import { act, answered } from '../../api/act';
import { type CastMember, type Draft, type Job, type LineView, api, sentence } from '../../api/client';
import { BySpeaker } from '../../lines/BySpeaker';
import { LanguagePick } from '../../lines/LanguagePick';
import { isOpen, useJob } from '../../lines/LineStatus';
import { Hint } from '../../widgets/Hint';
import { NumberField } from '../../widgets/NumberField';
import { Pick } from '../../widgets/Pick';
import { Press } from '../../widgets/Press';
import { Problem } from '../../widgets/Problem';
import { tell } from '../../widgets/tell';
import { useVoice } from '../voice';
import css from './bench.module.css';
import { Drafted } from './Drafted';
import { FilmPart } from './FilmPart';
import own from './LineBench.module.css';
import { ListenPart } from './ListenPart';

/** The bench: the line itself, its text, who says it, how its analysis stands, its sound. */
export function LineBench({ line, cast }: { line: LineView; cast: CastMember[] }) {
  const { id, number } = line.summary;
  return (
    <section className={css.bench} aria-label="Line" data-testid="line-bench">
      <div className={css.column} style={{ gridColumn: 'span 2' }}>
        <div className={css.row}>
          <h2>Line {number}</h2>
          <Pick
            labelled
            label="said by"
            value={line.document.character ?? ''}
            options={[
              ...(line.document.character === null ? [['', 'nobody yet'] as const] : []),
              ...cast.map((m) => [m.key, m.name] as const),
            ]}
            onChange={(name) => void act(id, { do: 'character', name })}
          />
          <Standing line={line} />
        </div>
        {!line.summary.idle && <Text key={id} line={line} />}
        <BySpeaker line={line.summary} />
        {!line.summary.idle && <Report line={line} />}
      </div>
      <div className={css.column}>
        <h3>What is listened to</h3>
        <ListenPart line={line} />
        <Frames line={line} />
        <FilmPart line={line} />
      </div>
    </section>
  );
}

/** How far the line is, in words. */
function Standing({ line }: { line: LineView }) {
  const { id, state, problem, words, doubtful_words, idle, duration } = line.summary;
  const job = useJob(id, 'analyse');
  if (isOpen(job) || problem) return null;
  if (idle) {
    return (
      <span className={css.note} data-testid="timed">
        Nothing is said: idle motion, which comes round after {duration.toFixed(2)} s.
      </span>
    );
  }
  if (state === 'timed') {
    return (
      <span className={css.note} data-testid="timed">
        {words} {words === 1 ? 'word' : 'words'} timed,{' '}
        {doubtful_words > 0 ? `${doubtful_words} of them doubtful` : 'none of them doubtful'}.
      </span>
    );
  }
  if (state === 'heard') {
    return (
      <span className={css.note}>
        No text: these are the sounds as they were heard, a draft. Type the words for better times.
      </span>
    );
  }
  if (line.document.timing) {
    return (
      <span className={css.note}>The times shown belong to the text or the sound as it was before.</span>
    );
  }
  return null;
}

function Text({ line }: { line: LineView }) {
  const { id, problem } = line.summary;
  const pinned = line.document.timing?.words.some((w) => w.pinned) ?? false;
  const saved = line.document.text;
  const spoken = line.document.language ?? '';
  const [chosen, setLanguage] = useState<string | null>(null);
  const language = chosen ?? spoken;
  const [without, setWithout] = useState('');
  const [typed, setTyped] = useState<string | null>(null);
  const [heard, setHeard] = useState<Draft | null>(null);
  const [drafting, setDrafting] = useState(false);
  const job = useJob(id, 'analyse');
  const text = typed ?? saved;
  const changed = text.trim() !== saved.trim() || language !== spoken;
  const keep = async () => {
    // What was typed stays until it is kept.
    if (!(await act(id, { do: 'text', text, language: language === spoken ? null : language }))) return;
    setTyped(null);
    setLanguage(null);
    setHeard(null);
  };
  // Another language is said by its sounds: they are written behind the words, to be looked at before they are used.
  const write = async (tag: string) => {
    setWithout('');
    if (!tag) return;
    try {
      const found = await api.sounds(text, tag);
      setTyped(found.text);
      if (found.without.length > 0) setWithout(`No sounds were written for ${found.without.join(', ')}.`);
    } catch (error) {
      setWithout(sentence(error));
    }
  };
  const draft = async () => {
    setDrafting(true);
    try {
      const found = await api.draft(id);
      setHeard(found);
      setTyped(found.text);
    } catch (error) {
      tell(error);
    } finally {
      setDrafting(false);
    }
  };
  return (
    <>
      <Textarea
        rows={3}
        aria-label="What is said"
        data-testid="text"
        value={text}
        placeholder="Type or paste what is said in the recording."
        onChange={(e) => setTyped(e.currentTarget.value)}
        onKeyDown={(e) => {
          if (e.key === 'Enter' && (e.ctrlKey || e.metaKey) && changed) void keep();
        }}
      />
      <div className={css.row}>
        {changed ? (
          <>
            <Press kind="main" testId="use-text" hint="Ctrl or Cmd with Enter" onClick={() => void keep()}>
              Time this text
            </Press>
            <Press
              onClick={() => {
                setTyped(null);
                setHeard(null);
                setLanguage(null);
                setWithout('');
              }}
            >
              Keep the old
            </Press>
          </>
        ) : (
          <Press gives="timeAgain" disabled={isOpen(job)} onClick={() => void api.analyse(id).catch(tell)}>
            {pinned ? 'Time again between pins' : 'Time again'}
          </Press>
        )}
        <Press
          kind="quiet"
          disabled={drafting}
          testId="draft"
          hint="Words as they are heard, to be corrected; nothing is changed until you use them"
          onClick={() => void draft()}
        >
          {drafting ? 'Listening …' : 'Draft the text'}
        </Press>
        <LanguagePick
          label="The language it is said in"
          bare={112}
          testId="language"
          value={language}
          onChange={(tag) => {
            setLanguage(tag);
            void write(tag);
          }}
        />
        {language && (
          <Press
            kind="quiet"
            testId="write-sounds"
            hint="Behind every word that has none, between slashes; correct them there"
            onClick={() => void write(language)}
          >
            Write the sounds
          </Press>
        )}
        <Tiers line={line} />
      </div>
      {without && <Problem>{without}</Problem>}
      {line.document.unsounded > 0 && !changed && (
        <span className={css.note} data-testid="unsounded">
          {line.document.unsounded === 1 ? 'One word has' : `${line.document.unsounded} words have`} no sounds
          and {line.document.unsounded === 1 ? 'is' : 'are'} said as if they were English: write them, or type
          them behind the word between slashes, bonjour /bɔ̃ʒuʁ/.
        </span>
      )}
      {heard && <Drafted draft={heard} text={text} asItStands={!changed} onText={setTyped} />}
      {isOpen(job) && job && <Progress job={job} />}
      {!isOpen(job) && problem && <Problem>{problem}</Problem>}
    </>
  );
}

function Progress({ job }: { job: Job }) {
  return (
    <div role="status">
      <div className={`${css.row ?? ''} ${css.between ?? ''}`}>
        <span>{job.state === 'waiting' ? 'Waits for its turn' : 'Listening for the words'}</span>
        <Press kind="quiet" onClick={() => void api.cancel(job.id).catch(tell)}>
          Cancel
        </Press>
      </div>
      <div className={css.track}>
        <div style={{ width: `${job.progress * 100}%` }} />
      </div>
    </div>
  );
}

/** Frames that the line has of its own: its first one and its handles. */
function Frames({ line }: { line: LineView }) {
  const { id } = line.summary;
  const { frames } = line.document;
  const change = (next: Partial<typeof frames>) =>
    void act(id, { do: 'frames', frames: { ...frames, ...next } });
  return (
    <>
      <h3>Frames</h3>
      <div className={css.row}>
        <NumberField
          labelled
          label="first"
          testId="line-first"
          digits={0}
          step={1}
          width={72}
          value={line.grid.first}
          onChange={(first) => change({ first })}
        />
        {frames.first != null && (
          <Press
            kind="link"
            hint="The first frame that the production has"
            onClick={() => change({ first: null })}
          >
            as the production
          </Press>
        )}
      </div>
      <Hint says="Frames more before the sound and after its end, for the cut">
        <span className="soft small">handles, frames</span>
      </Hint>
      <div className={css.row}>
        <NumberField
          labelled
          label="before"
          digits={0}
          step={1}
          low={0}
          high={2000}
          width={56}
          value={frames.before ?? 0}
          onChange={(before) => change({ before })}
        />
        <NumberField
          labelled
          label="after"
          digits={0}
          step={1}
          low={0}
          high={2000}
          width={56}
          value={frames.after ?? 0}
          onChange={(after) => change({ after })}
        />
      </div>
    </>
  );
}

function Tiers({ line }: { line: LineView }) {
  const { id } = line.summary;
  if (!line.document.timing) return null;
  const read = async (file: File | null) => {
    if (file) await answered(api.readTiers(id, file));
  };
  return (
    <span className={css.row}>
      <Hint says="Words and sounds with their times as a TextGrid file, for a phonetics program, and back; times that are read count as checked.">
        <span className="soft small">Tiers:</span>
      </Hint>
      <a href={`/api/lines/${id}/tiers`} download className="small">
        save
      </a>
      <FileButton onChange={(file) => void read(file)} accept=".TextGrid,.textgrid,.txt">
        {(props) => (
          <Press kind="link" {...props}>
            read …
          </Press>
        )}
      </FileButton>
    </span>
  );
}

/** As how large a voice it was heard. */
const sizeOf = (size: number) =>
  `Heard as a ${size > 1 ? 'smaller' : 'larger'} voice than usual: its resonances lie ${Math.abs(size * 100 - 100).toFixed(0)} % ${size > 1 ? 'higher' : 'lower'}.`;

/** What the recording is like, and how the line is spoken. */
function Report({ line }: { line: LineView }) {
  const report = useVoice(line).data?.report;
  if (!report) return null;
  const { size } = line.document.timing ?? {};
  const notes = [...report.notes, ...(size == null ? [] : [sizeOf(size)])];
  const times = report.clipped === 1 ? 'once' : `${report.clipped} times`;
  const facts = [
    `${report.duration.toFixed(2)} s, ${report.rate / 1000} kHz, ${report.channels === 1 ? 'mono' : `${report.channels} channels`}`,
    `peak ${report.peak_db.toFixed(1)} dB${report.clipped > 0 ? `, cut off ${times}` : ''}`,
    `noise ${report.noise_db.toFixed(0)} dB, voice ${report.signal_to_noise_db.toFixed(0)} dB above it`,
    `silence at the ends ${report.silence_before.toFixed(2)} and ${report.silence_after.toFixed(2)} s`,
    `offset ${(report.offset * 100).toFixed(1)} % of full scale`,
  ];
  return (
    <div className={own.report} data-testid="report">
      <h3>The recording</h3>
      <span className="small">
        {line.summary.recording_name}:{' '}
        {report.loudness_lufs == null ? 'silent' : `${report.loudness_lufs.toFixed(1)} LUFS`},{' '}
        {notes.length === 0
          ? 'all is well'
          : notes.length === 1
            ? 'one thing to know:'
            : `${notes.length} things to know:`}{' '}
        {notes.map((note) => (
          <b key={note}>{note} </b>
        ))}
      </span>
      <span className={css.note}>{facts.join(' · ')}</span>
      <Spoken line={line} />
    </div>
  );
}

/** How the line is spoken, in numbers. */
function Spoken({ line }: { line: LineView }) {
  const { phrasing } = line;
  const pinned = line.document.timing?.words.filter((w) => w.pinned).length ?? 0;
  if (!phrasing) return null;
  const { phrases, rate, pitch_hz: pitch, pitch_range: range } = phrasing;
  return (
    <span className={css.note}>
      Spoken in {phrases.length === 1 ? 'one phrase' : `${phrases.length} phrases`}, {rate.toFixed(1)}{' '}
      syllables a second,{' '}
      {pitch > 0 ? `at ${pitch.toFixed(0)} Hz over ${range.toFixed(0)} semitones` : 'without voice'}
      {pinned > 0 && ` · ${pinned === 1 ? 'one word' : `${pinned} words`} pinned`}
    </span>
  );
}
