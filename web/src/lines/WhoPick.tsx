import type { CastMember } from '../api/client';
import { Pick } from '../widgets/Pick';

interface Props {
  label: string;
  cast: CastMember[];
  /** What the character is called; none, nobody yet. */
  who: string | null;
  onChange: (who: string | null) => void;
}

/** Who says a new line. */
export function WhoPick({ label, cast, who, onChange }: Props) {
  return (
    <Pick
      labelled
      label={label}
      value={who ?? ''}
      options={[
        ...(who === null ? [['', 'nobody yet'] as const] : []),
        ...cast.map((m) => [m.name, m.name] as const),
      ]}
      onChange={(name) => onChange(name || null)}
    />
  );
}
