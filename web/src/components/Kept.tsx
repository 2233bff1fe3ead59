import { Component, type ReactNode } from 'react';

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
      <main className="kept" role="alert">
        <h2>This view cannot be shown</h2>
        <p>
          Nothing is lost: every step was kept as it was made. Show it again; if it fails again, another place
          or “Undo” may help.
        </p>
        <p className="soft">{failed.message}</p>
        <button className="button main" onClick={() => this.setState({ failed: null })}>
          Show it again
        </button>
      </main>
    );
  }
}
