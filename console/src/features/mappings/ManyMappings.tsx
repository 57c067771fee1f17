import { useMutation, useQueryClient } from '@tanstack/react-query';
import { keys } from '@/api/keys';
import type { Mapping } from '@/api/types';
import { count } from '@/lib/format';
import { Button } from '@/ui/Button';
import { notify, notifyChange } from '@/ui/Notices';
import { editMappings, removeMappings } from './queries';

/** What can be done with all the mappings that a filter selects. */
export function ManyMappings({ service, selected }: { service: string; selected: Mapping[] }) {
  const queries = useQueryClient();
  const refresh = () => queries.invalidateQueries({ queryKey: keys.service(service) });
  const ids = selected.map((mapping) => mapping.id);
  const failed = (error: Error) => notify(`Nothing was changed: ${error.message}`);
  const edit = useMutation({
    mutationFn: (enabled: boolean) => editMappings(service, ids, enabled),
    onSuccess: ({ changed }, enabled) => {
      notifyChange(`${count(changed.length, 'mapping')} switched ${enabled ? 'on' : 'off'}`);
      return refresh();
    },
    onError: failed,
  });
  const remove = useMutation({
    mutationFn: () => removeMappings(service, ids),
    onSuccess: ({ changed }) => {
      notifyChange(`${count(changed.length, 'mapping')} removed`);
      return refresh();
    },
    onError: failed,
  });
  const busy = edit.isPending || remove.isPending;
  return (
    <span className="flex flex-wrap items-center gap-2 text-[13px]">
      <span className="text-dim">{count(selected.length, 'mapping')}:</span>
      <Button disabled={busy} onClick={() => edit.mutate(true)}>
        Switch on
      </Button>
      <Button disabled={busy} onClick={() => edit.mutate(false)}>
        Switch off
      </Button>
      <Button look="danger" disabled={busy} onClick={() => remove.mutate()}>
        Remove them
      </Button>
    </span>
  );
}
