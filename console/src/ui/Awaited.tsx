import type { ReactNode } from 'react';
import { ProblemNotice } from './ProblemNotice';
import { Waiting } from './Waiting';

interface Props<T> {
  /** Something that is read: it has data, or an error, or neither yet. */
  query: { data?: T; error: Error | null };
  /** What is read, for the words while it is: "the mappings". */
  what: string;
  children(data: T): ReactNode;
}

/** Shows what was read; until then that it is being read, or why it cannot. */
export function Awaited<T>({ query, what, children }: Props<T>) {
  if (query.data !== undefined) return children(query.data);
  if (!query.error) return <Waiting what={what} />;
  return (
    <div className="p-5">
      <ProblemNotice message={query.error.message} />
    </div>
  );
}
