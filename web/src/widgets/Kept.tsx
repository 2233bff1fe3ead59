import { Component, type ReactNode } from 'react';
import { Press } from './Press';
import css from './Kept.module.css';

/** Shows what it holds; if that fails, a sentence in its place, and the rest of the page stays. */
export class Kept extends Component<{ children: ReactNode }, { failed: Error | null }> {
  override state: { failed: Error | null } = { failed: null };

  static getDerivedStateFromError(failed: Error) {
    return { failed };
  }

  override render() {
    const { failed } = this.state;
    if (!failed) return this.props.children;
    return (
      <main className={css.kept} role="alert">
        <h2>This view cannot be shown</h2>
        <p>
          Nothing is lost: every step was kept as it was made. Show it again; if it fails again, another place
          or “Undo” may help.
        </p>
        <p className="soft">{failed.message}</p>
        <Press kind="main" onClick={() => this.setState({ failed: null })}>
          Show it again
        </Press>
      </main>
    );
  }
}
