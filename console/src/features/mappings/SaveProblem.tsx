import { useQuery } from '@tanstack/react-query';
import { Problem } from '@/api/http';
import type { Mapping } from '@/api/types';
import { Button } from '@/ui/Button';
import { DiffView } from '@/ui/DiffView';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { mappingText } from './queries';

interface Props {
  service: string;
  /** The lane that it was to be kept in; '' for everybody. */
  lane: string;
  error: Error;
  /** The document that was not saved. */
  mine: string;
  /** Saves again on top of the version with this tag. */
  retry(etag: string): void;
}

/** Why a mapping was not saved. When somebody else was faster, both stand side by side. */
export function SaveProblem({ service, lane, error, mine, retry }: Props) {
  const problem = error instanceof Problem ? error : null;
  const current = problem?.code === 'stale' ? (problem.current as Mapping) : null;
  return (
    <div className="space-y-2 px-5 pt-3">
      <ProblemNotice message={`Not saved: ${error.message}.`} places={problem?.faults}>
        {current && (
          <>
            <Button onClick={() => retry(current.etag)}>Save mine over it</Button>
            <Button onClick={() => location.reload()}>Take theirs</Button>
          </>
        )}
      </ProblemNotice>
      {current && <BothVersions service={service} lane={lane} current={current} mine={mine} />}
    </div>
  );
}

type Both = Pick<Props, 'service' | 'lane' | 'mine'> & { current: Mapping };

function BothVersions({ service, lane, current, mine }: Both) {
  const query = mappingText(service, current.id, lane);
  const theirs = useQuery({ ...query, queryKey: [...query.queryKey, current.etag] });
  if (theirs.data === undefined) return null;
  return (
    <div className="max-h-64 overflow-auto">
      <DiffView before={theirs.data} after={mine} titles={['Theirs, as it is kept', 'Yours']} />
    </div>
  );
}
