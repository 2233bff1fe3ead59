import { IconAlertTriangle, IconCheck, IconCircleDashed, IconHelp, IconLoader } from '@tabler/icons-react';
import { useQuery } from '@tanstack/react-query';
import { type Job, type LineSummary, api } from '../api/client';

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
      <span className="state">
        <IconLoader size={15} /> {job.state === 'waiting' ? 'waits' : `listening, ${percent} %`}
      </span>
    );
  }
  if (line.state === 'timed') {
    return line.doubtful_words > 0 ? (
      <span className="state doubt">
        <IconHelp size={15} /> timed, {line.doubtful_words} doubtful
      </span>
    ) : (
      <span className="state timed">
        <IconCheck size={15} /> timed, speaks
      </span>
    );
  }
  if (line.state === 'heard') {
    return (
      <span
        className="state doubt"
        title="Sounds were heard without a text, a draft; type the words for better times"
      >
        <IconHelp size={15} /> heard, no text
      </span>
    );
  }
  if (line.state === 'failed') {
    return (
      <span className="state failed" title={line.problem ?? ''}>
        <IconAlertTriangle size={15} /> needs a look
      </span>
    );
  }
  return (
    <span className="state soft">
      <IconCircleDashed size={15} /> not yet timed
    </span>
  );
}
