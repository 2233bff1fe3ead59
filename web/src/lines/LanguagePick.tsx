import { useQuery } from '@tanstack/react-query';
import { api } from '../api/client';
import { Pick } from '../widgets/Pick';

interface Props {
  label: string;
  /** A tag; nothing is English. */
  value: string;
  onChange: (tag: string) => void;
  testId?: string;
  /** Without its label before it, so wide. */
  bare?: number;
}

/** What language something is in. */
export function LanguagePick({ label, value, onChange, testId, bare }: Props) {
  const { data } = useQuery({ queryKey: ['languages'], queryFn: api.languages });
  const named = data?.languages ?? [];
  const options = named.map(({ tag, name }) => [tag, name] as const);
  // A tag without a name here came from a table or a program.
  const other = named.some((l) => l.tag === value) ? [] : [[value, value || 'English'] as const];
  return (
    <Pick
      labelled={bare === undefined}
      width={bare}
      label={label}
      testId={testId}
      value={value}
      options={[...options, ...other]}
      onChange={onChange}
    />
  );
}
