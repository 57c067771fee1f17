import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { Service } from '@/api/types';
import { cn } from '@/ui/cn';
import { notify } from '@/ui/Notices';
import { patchService } from './queries';

/** Whether a service answers calls itself or relays them to its upstream. */
export function ModeSwitch({ service }: { service: Service }) {
  const queries = useQueryClient();
  const change = useMutation({
    mutationFn: (mode: Service['mode']) => patchService(service, { mode }),
    onSuccess: async (changed) => {
      await queries.invalidateQueries({ queryKey: ['services'] });
      notify(
        changed.mode === 'relay'
          ? `${service.name} relays to ${service.upstream} from the next call`
          : `${service.name} answers by itself from the next call`,
      );
    },
    onError: (error) => notify(`${service.name} was not changed: ${error.message}`),
  });
  if (!service.upstream) return <span className="text-dim text-xs">answers</span>;
  if (service.recording) return <span className="font-medium text-upstream text-xs">recording</span>;
  return (
    <fieldset className="inline-flex rounded border border-line">
      <legend className="sr-only">Mode of {service.name}</legend>
      {(['answer', 'relay'] as const).map((mode) => (
        <button
          key={mode}
          type="button"
          aria-pressed={service.mode === mode}
          disabled={change.isPending}
          onClick={() => service.mode !== mode && change.mutate(mode)}
          className={cn(
            'h-7 px-2 font-medium text-dim text-xs hover:text-ink',
            service.mode === mode && (mode === 'relay' ? 'bg-sunken text-upstream' : 'bg-sunken text-ink'),
          )}
        >
          {mode}
        </button>
      ))}
    </fieldset>
  );
}
