import { useMutation, useQueryClient } from '@tanstack/react-query';
import { keys } from '@/api/keys';
import { patchService } from '@/api/services';
import type { Operation, Service } from '@/api/types';
import { patchInLane, useLaneChanges } from '@/features/lanes';
import { ownerText } from '@/features/mappings';
import { cn } from '@/ui/cn';
import { inputLook } from '@/ui/Field';
import { notify, notifyChange } from '@/ui/Notices';

/**
 * Chooses which named example of an operation answers, from the next call: for everybody, or in my
 * lane for that alone.
 */
export function ExampleChoice({ service, operation }: { service: Service; operation: Operation }) {
  const queries = useQueryClient();
  const { lane, changes } = useLaneChanges(service.name);
  const inMine = changes?.examples?.[operation.id] ?? null;
  const put = (name: string | null): Promise<unknown> =>
    lane
      ? patchInLane(lane, service.name, { examples: { [operation.id]: name } })
      : patchService(service, { examples: { [operation.id]: name } });
  const refresh = () =>
    Promise.all([
      queries.invalidateQueries({ queryKey: keys.service(service.name) }),
      queries.invalidateQueries({ queryKey: keys.lanes() }),
    ]);
  const choose = useMutation({
    mutationFn: put,
    onSuccess: async (_, name) => {
      const answer = name ? `example “${name}”` : lane ? 'what everybody gets' : 'its first example';
      notifyChange(
        `${operation.id} answers with ${answer} from the next call${lane ? ` in lane ${lane}` : ''}`,
      );
      await refresh();
    },
    onError: (error) => notify(`${operation.id} was not changed: ${error.message}`),
  });
  return (
    <select
      aria-label={`Example of ${operation.id}`}
      value={(lane ? inMine : operation.example) ?? ''}
      disabled={choose.isPending}
      onChange={(event) => {
        const none = lane ? '' : operation.examples?.[0]?.name;
        choose.mutate(event.target.value === none ? null : event.target.value);
      }}
      className={cn(inputLook, 'h-6 min-w-16 max-w-56 shrink py-0', inMine && 'border-accent')}
    >
      {lane && (
        <option value="">
          {inMine
            ? 'not chosen in my lane'
            : `${operation.example ?? 'generated data'}, ${ownerText(operation.exampleOrigin, lane) || 'as everybody'}`}
        </option>
      )}
      {operation.examples?.map((example) => (
        <option key={example.name} value={example.name}>
          {example.name}
          {example.name === inMine && ', in my lane'} ({example.status})
          {example.summary ? `: ${example.summary}` : ''}
        </option>
      ))}
    </select>
  );
}
