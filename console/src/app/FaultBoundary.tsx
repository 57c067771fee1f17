import { Component, type ReactNode } from 'react';
import { Button } from '@/ui/Button';

interface Props {
  /** The page; another one clears the fault. */
  page: string;
  children: ReactNode;
}

interface State {
  fault?: Error;
  page: string;
}

/** Stands in for a page that failed: the state strip and the other pages go on. */
export class FaultBoundary extends Component<Props, State> {
  state: State = { page: this.props.page };

  static getDerivedStateFromError(fault: Error): Partial<State> {
    return { fault };
  }

  static getDerivedStateFromProps({ page }: Props, state: State): State | null {
    return page === state.page ? null : { page, fault: undefined };
  }

  render() {
    const { fault } = this.state;
    if (!fault) return this.props.children;
    return (
      <div role="alert" className="space-y-3 px-5 py-8">
        <p className="font-medium text-base">This page failed. Nothing was changed by that.</p>
        <p className="break-words font-mono text-dim text-xs">{fault.message}</p>
        <p className="flex gap-2">
          <Button look="main" onClick={() => this.setState({ fault: undefined })}>
            Show it again
          </Button>
          <Button onClick={() => location.reload()}>Reload the console</Button>
        </p>
      </div>
    );
  }
}
