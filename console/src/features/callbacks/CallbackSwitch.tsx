import { useMutation, useQueryClient } from '@tanstack/react-query';
import { keys } from '@/api/keys';
import { patchService } from '@/api/services';
import type { Service } from '@/api/types';
import { notify, notifyChange } from '@/ui/Notices';
import { Switch } from '@/ui/Switch';

/** Whether a service calls back. */
export const callsBack = ({ callbacks }: Service) => callbacks !== undefined && callbacks !== 'off';

/** Has a service make its callbacks, or none. */
export function CallbackSwitch({ service }: { service: Service }) {
  const queries = useQueryClient();
  const change = useMutation({
    // an empty object leaves what else is said of them as it is
    mutationFn: (on: boolean) => patchService(service, { callbacks: on ? {} : 'off' }),
    onSuccess: (_, on) => {
      notifyChange(`${service.name} ${on ? 'calls back' : 'makes no callbacks'} from the next call on`);
      return queries.invalidateQueries({ queryKey: keys.services() });
    },
    onError: (error) => notify(`Nothing was changed: ${error.message}`),
  });
  return (
    <Switch
      label="Make callbacks"
      checked={callsBack(service)}
      onCheckedChange={(next) => change.mutate(next)}
    />
  );
}
