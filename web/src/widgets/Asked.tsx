import type { UseQueryResult } from '@tanstack/react-query';
import { sentence } from '../api/client';
import { Press } from './Press';
import { Problem } from './Problem';

/** What was asked of the server: the answer, that it is awaited, or why there is none and a way to ask again. */
export function Asked<T>({
  query,
  children,
}: {
  query: UseQueryResult<T>;
  children: (data: T) => React.ReactNode;
}) {
  if (query.data !== undefined) return children(query.data);
  if (query.error) {
    return (
      <Problem>
        {sentence(query.error)}{' '}
        <Press kind="link" onClick={() => void query.refetch()}>
          Ask again
        </Press>
      </Problem>
    );
  }
  return (
    <span className="soft" aria-busy="true">
      One moment …
    </span>
  );
}
