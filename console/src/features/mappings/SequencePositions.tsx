import { useMutation, useQueryClient } from '@tanstack/react-query';
import { keys } from '@/api/keys';
import type { Mapping } from '@/api/types';
import { Button } from '@/ui/Button';
import { notify } from '@/ui/Notices';
import { resetPositions } from './queries';

/** Where a sequence stands, for each caller that has a position, and its way back to the start. */
export function SequencePositions({ service, mapping }: { service: string; mapping: Mapping }) {
  const queries = useQueryClient();
  const reset = useMutation({
    mutationFn: () => resetPositions(service, mapping.id),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: keys.service(service) });
      notify(`The sequence of ${mapping.id} was reset`);
    },
  });
  return (
    <div className="flex flex-wrap items-center gap-x-4 gap-y-1 border-line border-b bg-sunken px-5 py-1.5 text-[13px]">
      {mapping.positions?.slice(0, 8).map(({ caller, given, next }) => (
        <span key={caller ?? ''}>
          {caller ? <span className="font-mono text-xs">{caller}</span> : 'Everyone'}:{' '}
          <span className="text-dim">
            {given} given, {next ? `answer ${next} comes next` : 'passes calls on'}
          </span>
        </span>
      ))}
      <Button look="bare" className="h-7" disabled={reset.isPending} onClick={() => reset.mutate()}>
        Reset
      </Button>
    </div>
  );
}
