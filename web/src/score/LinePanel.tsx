import { FileButton } from '@mantine/core';
import { useState } from 'react';
import { act, answered } from '../api/act';
import { type CastMember, type Draft, type LineView, api, isDoubtful, tell } from '../api/client';
import { isOpen, useJob } from '../components/LineStatus';
import { useVoice } from './voice';
import { ListenPart } from './ListenPart';

interface Props {
  line: LineView;
  cast: CastMember[];
}

/** The line itself: its text, who says it, how its analysis stands. */
export function LinePanel({ line, cast }: Props) {
  const { id, state, problem } = line.summary;
  const report = useVoice(line).data?.report;
  const pinned = line.document.timing?.words.some((w) => w.pinned) ?? false;
  const saved = line.document.text;
  const [draft, setDraft] = useState<string | null>(null);
  const [heard, setHeard] = useState<Draft | null>(null);
  const [drafting, setDrafting] = useState(false);
  const job = useJob(id, 'analyse');
  const text = draft ?? saved;
  const changed = text.trim() !== saved.trim();

  const keepText = async () => {
    // What was typed stays until it is kept.
    if (!(await act(id, { do: 'text', text }))) return;
    setDraft(null);
    setHeard(null);
  };

  const draftText = async () => {
    setDrafting(true);
    try {
      const found = await api.draft(id);
      setHeard(found);
      setDraft(found.text);
    } catch (error) {
      tell(error);
    } finally {
      setDrafting(false);
    }
  };

  const readTiers = async (file: File | null) => {
    if (file) await answered(api.readTiers(id, file));
  };

  return (
    <section className="panel" aria-label="Line">
      <div style={{ display: 'flex', gap: 8, alignItems: 'center' }}>
        <h2>Line {line.summary.number}</h2>
        <label className="soft" style={{ marginLeft: 'auto', display: 'flex', gap: 6, alignItems: 'center' }}>
          said by
          <select
            className="field small"
            value={line.document.character ?? ''}
            onChange={(e) => void act(id, { do: 'character', name: e.target.value })}
          >
            {line.document.character === null && <option value="">nobody yet</option>}
            {cast.map((m) => (
              <option key={m.id}>{m.name}</option>
            ))}
          </select>
        </label>
      </div>
      <textarea
        className="field"
        rows={3}
        aria-label="What is said"
        data-testid="text"
        value={text}
        placeholder="Type or paste what is said in the recording."
        onChange={(e) => setDraft(e.target.value)}
      />
      <div style={{ display: 'flex', gap: 8, alignItems: 'center', flexWrap: 'wrap' }}>
        {changed ? (
          <>
            <button className="button main" data-testid="use-text" onClick={() => void keepText()}>
              Time this text
            </button>
            <button
              className="button"
              onClick={() => {
                setDraft(null);
                setHeard(null);
              }}
            >
              Keep the old
            </button>
          </>
        ) : (
          <button className="button" disabled={isOpen(job)} onClick={() => api.analyse(id).catch(tell)}>
            {pinned ? 'Time again between pins' : 'Time again'}
          </button>
        )}
        <button
          className="link"
          disabled={drafting}
          data-testid="draft"
          title="Words as they are heard, to be corrected; nothing is changed until you use them"
          onClick={() => void draftText()}
        >
          {drafting ? 'Listening …' : 'Draft the text'}
        </button>
      </div>
      {heard && (
        <div className="drafted" data-testid="drafted">
          <b>A draft{heard.by ? ` by ${heard.by.split('/').pop()}` : ''}:</b>{' '}
          {heard.words.map((word, i) => (
            <span
              key={i}
              className={isDoubtful(word) ? 'doubtful' : ''}
              title={`heard ${Math.round(word.confidence * 100)} %`}
            >
              {word.text}{' '}
            </span>
          ))}
          <span className="soft">
            {changed
              ? 'Underlined words are doubtful; correct them above.'
              : 'That is the text as it stands. Underlined words are doubtful.'}
          </span>
        </div>
      )}
      {isOpen(job) && job && (
        <div role="status">
          <div style={{ display: 'flex', justifyContent: 'space-between' }}>
            <span>{job.state === 'waiting' ? 'Waits for its turn' : 'Listening for the words'}</span>
            <button className="quiet" onClick={() => api.cancel(job.id).catch(tell)}>
              Cancel
            </button>
          </div>
          <div className="track">
            <div style={{ width: `${job.progress * 100}%` }} />
          </div>
        </div>
      )}
      {!isOpen(job) && problem && (
        <div className="problem" role="alert">
          {problem}
        </div>
      )}
      {!isOpen(job) && !problem && state === 'timed' && (
        <div className="soft" data-testid="timed">
          {line.summary.words} words timed
          {line.summary.doubtful_words > 0
            ? `, ${line.summary.doubtful_words} of them doubtful`
            : ', none of them doubtful'}
          .
        </div>
      )}
      {!isOpen(job) && state === 'heard' && (
        <div className="soft">
          No text: these are the sounds as they were heard, a draft. Type the words for better times.
        </div>
      )}
      <ListenPart line={line} />
      {report && (
        <details className="report" data-testid="report" open={report.notes.length > 0}>
          <summary>
            {line.summary.recording_name}:{' '}
            {report.loudness_lufs == null ? 'silent' : `${report.loudness_lufs.toFixed(1)} LUFS`},{' '}
            {report.notes.length === 0
              ? 'all is well'
              : report.notes.length === 1
                ? 'one thing to know'
                : `${report.notes.length} things to know`}
          </summary>
          {report.notes.map((note) => (
            <div key={note}>{note}</div>
          ))}
          <dl className="facts">
            <dt>Length, rate</dt>
            <dd>
              {report.duration.toFixed(2)} s, {report.rate / 1000} kHz,{' '}
              {report.channels === 1 ? 'mono' : `${report.channels} channels`}
            </dd>
            <dt>Peak</dt>
            <dd>{report.peak_db.toFixed(1)} dB</dd>
            <dt>Cut off at full scale</dt>
            <dd>{report.clipped === 0 ? 'nowhere' : `${report.clipped} times`}</dd>
            <dt>Noise</dt>
            <dd>
              {report.noise_db.toFixed(0)} dB, voice {report.signal_to_noise_db.toFixed(0)} dB above it
            </dd>
            <dt>Silence at the ends</dt>
            <dd>
              {report.silence_before.toFixed(2)} and {report.silence_after.toFixed(2)} s
            </dd>
            <dt>Offset</dt>
            <dd>{(report.offset * 100).toFixed(1)} % of full scale</dd>
          </dl>
        </details>
      )}
      {line.document.timing && (
        <div className="soft tiers">
          Interval tiers:
          <a href={`/api/lines/${id}/tiers`} download title="Words and sounds as a TextGrid file">
            save
          </a>
          <FileButton onChange={(file) => void readTiers(file)} accept=".TextGrid,.textgrid,.txt">
            {(props) => (
              <button className="link" title="Times from a TextGrid file; they count as checked" {...props}>
                read …
              </button>
            )}
          </FileButton>
        </div>
      )}
      {!isOpen(job) && !problem && state === 'not_timed' && line.document.timing && (
        <div className="soft">The times shown belong to the text or the sound as it was before.</div>
      )}
    </section>
  );
}
