import {
  IconAlertTriangle,
  IconCheck,
  IconCircleDashed,
  IconHelp,
  IconLoader,
  IconRepeat,
} from '@tabler/icons-react';
import { useQuery } from '@tanstack/react-query';
import { type Job, type LineSummary, api } from '../api/client';
import { Hint } from '../widgets/Hint';
import { count } from '../widgets/words';
import css from './LineStatus.module.css';

export function useJob(line: number, kind: Job['kind']): Job | undefined {
  const jobs = useQuery({ queryKey: ['jobs'], queryFn: api.jobs });
  return jobs.data?.filter((j) => j.line === line && j.kind === kind).at(-1);
}

export const isOpen = (job: Job | undefined) => job?.state === 'running' || job?.state === 'waiting';

/** How far a line is, in words and with a sign of its own. */
export function LineStatus({ line }: { line: LineSummary }) {
  const job = useJob(line.id, 'analyse');
  if (isOpen(job) && job) {
    const percent = Math.round(job.progress * 100);
    return (
      <span className={css.state}>
        <IconLoader size={15} /> {job.state === 'waiting' ? 'waits' : `listening, ${percent} %`}
      </span>
    );
  }
  if (line.idle && line.state === 'timed') {
    return (
      <span className={css.state} data-is="timed">
        <IconRepeat size={15} /> idle, comes round
      </span>
    );
  }
  if (line.state === 'timed') {
    const findings = line.findings ?? [];
    if (line.doubtful_words === 0 && findings.length > 0) {
      return (
        <Hint says={findings.join(', ')}>
          <span className={css.state} data-is="doubt">
            <IconHelp size={15} /> timed, {count(findings.length, 'finding')}
          </span>
        </Hint>
      );
    }
    return line.doubtful_words > 0 ? (
      <span className={css.state} data-is="doubt">
        <IconHelp size={15} /> timed, {line.doubtful_words} doubtful
      </span>
    ) : (
      <span className={css.state} data-is="timed">
        <IconCheck size={15} /> timed, speaks
      </span>
    );
  }
  if (line.state === 'heard') {
    return (
      <Hint says="Sounds were heard without a text, a draft; type the words for better times">
        <span className={css.state} data-is="doubt">
          <IconHelp size={15} /> heard, no text
        </span>
      </Hint>
    );
  }
  if (line.state === 'failed') {
    return (
      <Hint says={line.problem}>
        <span className={css.state} data-is="failed">
          <IconAlertTriangle size={15} /> needs a look
        </span>
      </Hint>
    );
  }
  return (
    <span className={css.state}>
      <IconCircleDashed size={15} /> not yet timed
    </span>
  );
}
