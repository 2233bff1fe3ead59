import type { RegionName } from '../api/client';
import { REGIONS, regionColour } from '../cast/words';
import { Press } from './Press';
import css from './RegionPick.module.css';

interface Props {
  label: string;
  /** Those that can be chosen. */
  of?: readonly RegionName[];
  /** Those that are on. */
  on: readonly RegionName[];
  onChange: (on: RegionName[]) => void;
}

/** Parts of the face, each on or off. */
export function RegionPick({ label, of = REGIONS, on, onChange }: Props) {
  return (
    <div role="group" aria-label={label} className={css.regions}>
      {of.map((region) => (
        <Press
          key={region}
          kind="chip"
          pressed={on.includes(region)}
          leftSection={<i className={css.swatch} style={{ background: regionColour(region) }} />}
          onClick={() => onChange(of.filter((r) => (r === region ? !on.includes(r) : on.includes(r))))}
        >
          {region}
        </Press>
      ))}
    </div>
  );
}
