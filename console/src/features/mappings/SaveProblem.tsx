import { useQuery } from '@tanstack/react-query';
import { isStale, Problem } from '@/api/http';
import type { Mapping } from '@/api/types';
import { Conflict } from '@/ui/Conflict';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { mappingText } from './queries';

interface Props {
  service: string;
  /** The lane that it was to be kept in; '' for everybody. */
  lane: string;
  error: Error;
  /** The document that was not saved. */
  mine: string;
  /** Saves again on top of the version with this tag, which says theirs. */
  retry(etag: string, theirs?: string): void;
  /** Goes on with what is kept under this id. */
  leave(id: string): void;
}

/** Why a mapping was not saved. When somebody else was faster, both stand side by side. */
export function SaveProblem({ error, ...more }: Props) {
  const message = `Not saved: ${error.message}.`;
  if (isStale(error) && error.current)
    return (
      <div className="space-y-2 px-5 pt-3">
        <BothVersions message={message} current={error.current as Mapping} {...more} />
      </div>
    );
  return (
    <div className="px-5 pt-3">
      <ProblemNotice message={message} places={error instanceof Problem ? error.faults : undefined} />
    </div>
  );
}

type Both = Omit<Props, 'error'> & { message: string; current: Mapping };

function BothVersions({ service, lane, message, current, mine, retry, leave }: Both) {
  const query = mappingText(service, current.id, lane);
  const theirs = useQuery({ ...query, queryKey: [...query.queryKey, current.etag] });
  return (
    <Conflict
      message={message}
      theirs={theirs.data}
      mine={mine}
      onMine={() => retry(current.etag, theirs.data)}
      onTheirs={() => leave(current.id)}
    />
  );
}
