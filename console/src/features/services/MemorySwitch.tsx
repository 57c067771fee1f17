import { useMutation, useQueryClient } from '@tanstack/react-query';
import { keys } from '@/api/keys';
import { patchService } from '@/api/services';
import type { Service } from '@/api/types';
import { notify, notifyChange } from '@/ui/Notices';
import { Switch } from '@/ui/Switch';

/** Has a service remember what calls create, or forget. */
export function MemorySwitch({ service }: { service: Service }) {
  const queries = useQueryClient();
  const on = service.memory !== undefined && service.memory !== 'off';
  const change = useMutation({
    mutationFn: (memory: string) => patchService(service, { memory }),
    onSuccess: (_, memory) => {
      notifyChange(`${service.name} ${memory === 'on' ? 'remembers' : 'forgets'} from the next call on`);
      return queries.invalidateQueries({ queryKey: keys.services() });
    },
    onError: (error) => notify(`Nothing was changed: ${error.message}`),
  });
  return (
    <Switch
      label="Remember what calls create"
      checked={on}
      onCheckedChange={(next) => change.mutate(next ? 'on' : 'off')}
    />
  );
}
