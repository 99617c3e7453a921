import { Component, type ReactNode } from 'react';
import Button from 'react-bootstrap/Button';

interface Props {
  /** What stands here, as a sentence about it begins: “The fold column”. */
  readonly what: string;
  readonly children: ReactNode;
}

interface State {
  readonly wrong: string | null;
}

/** What breaks in a place breaks that place alone: it says so, and can be tried again. */
export class Boundary extends Component<Props, State> {
  override state: State = { wrong: null };

  static getDerivedStateFromError(error: unknown): State {
    return { wrong: error instanceof Error ? error.message : String(error) };
  }

  override render(): ReactNode {
    if (this.state.wrong === null) return this.props.children;
    return (
      <div className="empty m-auto" role="alert">
        <p>
          {this.props.what} could not be drawn. The song is untouched, and what plays goes on.
          <span className="d-block small quiet">{this.state.wrong}</span>
        </p>
        <Button size="sm" onClick={() => this.setState({ wrong: null })}>
          Try again
        </Button>
      </div>
    );
  }
}
