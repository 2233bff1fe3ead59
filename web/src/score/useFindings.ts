import { useQuery } from '@tanstack/react-query';
import { type LineView, api } from '../api/client';

/** What there is to be mended in a line. */
export const useFindings = (line: LineView) =>
  useQuery({
    queryKey: ['findings', line.summary.id],
    queryFn: () => api.findings(line.summary.id),
    enabled: line.document.timing != null,
  });
