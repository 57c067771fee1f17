import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { keys } from '@/api/keys';
import { moment } from '@/lib/format';
import { Awaited } from '@/ui/Awaited';
import { Button } from '@/ui/Button';
import { Dialog, DialogContent, DialogTrigger } from '@/ui/Dialog';
import { notify, notifyChange } from '@/ui/Notices';
import { removedMappings, restoreMapping } from './queries';

/** Mappings that were removed: each can be had back. */
export function RemovedDialog({ service }: { service: string }) {
  return (
    <Dialog>
      <DialogTrigger asChild>
        <Button look="bare">Removed ones</Button>
      </DialogTrigger>
      <DialogContent title="Mappings that were removed">
        <Removed service={service} />
      </DialogContent>
    </Dialog>
  );
}

function Removed({ service }: { service: string }) {
  const queries = useQueryClient();
  const query = useQuery({ ...removedMappings(service), staleTime: 0 });
  const restore = useMutation({
    mutationFn: (id: string) => restoreMapping(service, id, 0),
    onSuccess: async (mapping) => {
      notifyChange(`${mapping.id} is back, live on the next call`);
      await queries.invalidateQueries({ queryKey: keys.service(service) });
    },
    onError: (error) => notify(`It was not restored: ${error.message}`),
  });
  return (
    <Awaited query={query} what="what was removed">
      {({ items }) =>
        items.length === 0 ? (
          <p className="text-dim text-[13px]">None was.</p>
        ) : (
          <ul className="space-y-1 text-[13px]">
            {items.map((gone) => (
              <li key={gone.id} className="flex items-center justify-between gap-3">
                <span className="min-w-0 truncate">
                  <span className="font-medium">{gone.id}</span>{' '}
                  <span className="text-dim text-xs">
                    {gone.at && moment(gone.at)} {gone.by && `by ${gone.by}`}
                  </span>
                </span>
                <Button disabled={restore.isPending} onClick={() => restore.mutate(gone.id)}>
                  Restore
                </Button>
              </li>
            ))}
          </ul>
        )
      }
    </Awaited>
  );
}
