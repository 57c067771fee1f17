import { useMutation } from '@tanstack/react-query';
import type { Status } from '@/api/types';
import { count } from '@/lib/format';
import { Button } from '@/ui/Button';
import { notify, notifyChange } from '@/ui/Notices';
import { removeFromLane, switchImpairments } from './queries';
import { useRefresh } from './useRefresh';

/** What is impaired now, on every page, with the one switch for all of it. */
export function ImpairmentStrip({ status }: { status: Status }) {
  const refresh = useRefresh();
  const flip = useMutation({
    mutationFn: switchImpairments,
    onSuccess: async (_, off) => {
      if (off) notifyChange('All impairments are off; they are kept');
      await refresh();
    },
    onError: (error) => notify(error.message),
  });
  const clear = useMutation({
    mutationFn: removeFromLane,
    onSuccess: async ({ items }, lane) => {
      notifyChange(
        `${count(items.length, 'impairment')} of lane ${lane} stopped; those of its scenario go with that`,
      );
      await refresh();
    },
    onError: (error) => notify(error.message),
  });
  const { impaired } = status;
  if (status.impairmentsOff) {
    return (
      <span className="flex items-center gap-2 text-dim">
        all impairments are off
        <Button className="h-6" disabled={flip.isPending} onClick={() => flip.mutate(false)}>
          Switch on again
        </Button>
      </span>
    );
  }
  if (impaired.length === 0) return null;
  const stop = () => (status.lane ? clear.mutate(status.lane) : flip.mutate(true));
  return (
    <span className="flex min-w-0 items-center gap-2">
      <span
        className="min-w-0 truncate font-medium text-impairment"
        role="status"
        title={impaired.join(', ')}
      >
        impaired: {impaired.join(', ')}
      </span>
      <Button className="h-6 shrink-0" disabled={flip.isPending || clear.isPending} onClick={stop}>
        Stop all
      </Button>
    </span>
  );
}
