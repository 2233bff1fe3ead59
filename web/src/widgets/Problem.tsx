import css from './Problem.module.css';

/** What went wrong, in a sentence, and what can be done. */
export function Problem({ children }: { children: React.ReactNode }) {
  return (
    <div className={css.problem} role="alert">
      {children}
    </div>
  );
}
