import { useQuery } from '@tanstack/react-query';
import { type LineView, api } from '../api/client';

/** What is drawn and told of the voice that a line listens to; another take or channel is another voice. */
export const useVoice = (line: LineView) =>
  useQuery({
    queryKey: ['voice', line.summary.id, line.voice],
    queryFn: () => api.voice(line.summary.id),
    staleTime: Infinity,
  });
