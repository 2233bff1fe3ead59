import { Hint } from './Hint';
import css from './Term.module.css';

/** A word of ours or of the trade, which explains itself. */
export function Term({ says, children }: { says: string; children: React.ReactNode }) {
  return (
    <Hint says={says}>
      <span className={css.term} tabIndex={0}>
        {children}
      </span>
    </Hint>
  );
}
