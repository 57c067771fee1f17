import { Problem } from '@/api/http';
import type { Mapping } from '@/api/types';
import { Button } from '@/ui/Button';
import { ProblemNotice } from '@/ui/ProblemNotice';

interface Props {
  error: Error;
  /** Saves again on top of the version with this tag. */
  retry(etag: string): void;
}

/** Why a mapping was not saved. When somebody else was faster, both are kept. */
export function SaveProblem({ error, retry }: Props) {
  const problem = error instanceof Problem ? error : null;
  const current = problem?.code === 'stale' ? (problem.current as Mapping) : null;
  return (
    <div className="px-5 pt-3">
      <ProblemNotice message={`Not saved: ${error.message}.`} places={problem?.faults}>
        {current && (
          <>
            <Button onClick={() => retry(current.etag)}>Save mine over it</Button>
            <Button onClick={() => location.reload()}>Take theirs</Button>
          </>
        )}
      </ProblemNotice>
    </div>
  );
}
