import { useMutation, useQueryClient } from '@tanstack/react-query';
import { Link } from 'wouter';
import { keys } from '@/api/keys';
import { patchService } from '@/api/services';
import { useStatus } from '@/api/status';
import type { Service } from '@/api/types';
import { patchInLane, useLaneChanges } from '@/features/lanes';
import { cn } from '@/ui/cn';
import { notify, notifyChange } from '@/ui/Notices';

/** Whether a service answers calls itself or relays them to its upstream, for everybody or in my lane. */
export function ModeSwitch({ service }: { service: Service }) {
  const queries = useQueryClient();
  const { lane, changes } = useLaneChanges(service.name);
  const { data: status } = useStatus();
  const now = changes?.mode ?? service.mode;
  const change = useMutation({
    mutationFn: (mode: 'answer' | 'relay'): Promise<unknown> =>
      lane ? patchInLane(lane, service.name, { mode }) : patchService(service, { mode }),
    onSuccess: async (_, mode) => {
      const what = mode === 'relay' ? `relays to ${service.upstream}` : 'answers by itself';
      notifyChange(`${service.name} ${what} from the next call${lane ? ` in lane ${lane}` : ''}`);
      await Promise.all(
        [keys.services(), keys.lanes(), keys.status()].map((queryKey) =>
          queries.invalidateQueries({ queryKey }),
        ),
      );
    },
    onError: (error) => notify(`${service.name} was not changed: ${error.message}`),
  });
  if (status?.modes[service.name] === 'off') {
    return (
      <Link href={lane ? '/lanes' : '/scenarios'} className="font-medium text-bad text-xs hover:underline">
        switched off
      </Link>
    );
  }
  if (!service.upstream) return <span className="text-dim text-xs">answers</span>;
  if (service.recording && !lane) return <span className="font-medium text-upstream text-xs">recording</span>;
  return (
    <fieldset className="inline-flex rounded border border-line">
      <legend className="sr-only">Mode of {service.name}</legend>
      {(['answer', 'relay'] as const).map((mode) => (
        <button
          key={mode}
          type="button"
          aria-pressed={now === mode}
          disabled={change.isPending}
          onClick={() => now !== mode && change.mutate(mode)}
          className={cn(
            'h-7 px-2 font-medium text-dim text-xs hover:text-ink',
            now === mode && (mode === 'relay' ? 'bg-sunken text-upstream' : 'bg-sunken text-ink'),
          )}
        >
          {mode}
        </button>
      ))}
    </fieldset>
  );
}
