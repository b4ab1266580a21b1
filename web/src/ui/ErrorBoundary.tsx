import { Component, type ReactNode } from "react";

interface State {
  error: Error | null;
}

/** Catches what goes wrong while something is shown, says what it was, and offers to go on. */
export class ErrorBoundary extends Component<
  { what: string; again?: unknown; children: ReactNode },
  State
> {
  override state: State = { error: null };

  static getDerivedStateFromError(error: Error): State {
    return { error };
  }

  override componentDidUpdate(before: { again?: unknown }) {
    // Something else is shown now: another selection, another sound.
    if (this.state.error && before.again !== this.props.again) this.setState({ error: null });
  }

  override render() {
    const { error } = this.state;
    if (!error) return this.props.children;
    return (
      <div role="alert" className="m-3 border border-warn bg-paper p-3">
        <p className="mb-2">
          {this.props.what} could not be shown: {error.message.slice(0, 300)}. The sound itself is
          safe and saved.
        </p>
        <button type="button" className="button" onClick={() => this.setState({ error: null })}>
          Try again
        </button>{" "}
        <button type="button" className="button" onClick={() => window.location.reload()}>
          Reload the page
        </button>
      </div>
    );
  }
}
