import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { Operation, Service } from '@/api/types';
import { cn } from '@/ui/cn';
import { inputLook } from '@/ui/Field';
import { notify } from '@/ui/Notices';
import { patchService } from './queries';

/** Chooses which named example of an operation answers, from the next call. */
export function ExampleChoice({ service, operation }: { service: Service; operation: Operation }) {
  const queries = useQueryClient();
  const chosen = operation.examples?.find((example) => example.chosen)?.name ?? null;
  const choose = useMutation({
    mutationFn: (name: string | null) => patchService(service, { examples: { [operation.id]: name } }),
    onSuccess: async (changed, name) => {
      await queries.invalidateQueries({ queryKey: ['services', service.name] });
      notify(
        `${operation.id} answers with ${name ? `example “${name}”` : 'its first example'} from the next call`,
        () =>
          patchService(changed, { examples: { [operation.id]: chosen } }).then(() =>
            queries.invalidateQueries({ queryKey: ['services', service.name] }),
          ),
      );
    },
    onError: (error) => notify(`${operation.id} was not changed: ${error.message}`),
  });
  return (
    <select
      aria-label={`Example of ${operation.id}`}
      value={operation.example ?? ''}
      disabled={choose.isPending}
      onChange={(event) => {
        const first = operation.examples?.[0]?.name;
        choose.mutate(event.target.value === first ? null : event.target.value);
      }}
      className={cn(inputLook, 'h-7 max-w-56 py-0')}
    >
      {operation.examples?.map((example) => (
        <option key={example.name} value={example.name}>
          {example.name} ({example.status}){example.summary ? `: ${example.summary}` : ''}
        </option>
      ))}
    </select>
  );
}
