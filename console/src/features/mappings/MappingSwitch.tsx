import { useMutation, useQueryClient } from '@tanstack/react-query';
import { keys } from '@/api/keys';
import type { Mapping } from '@/api/types';
import { notify, notifyChange } from '@/ui/Notices';
import { Switch } from '@/ui/Switch';
import { documentOfMapping } from './mappingDraft';
import { ownerOf } from './owner';
import { putMapping } from './queries';

/** Switches a mapping on and off, in whose ever name it stands. */
export function MappingSwitch({ service, mapping }: { service: string; mapping: Mapping }) {
  const queries = useQueryClient();
  const owner = ownerOf(mapping.origin);
  const toggle = useMutation({
    mutationFn: (enabled: boolean) =>
      putMapping(service, mapping.id, documentOfMapping({ ...mapping, enabled }), mapping.etag, owner?.name),
    onSuccess: (saved) => {
      notifyChange(`${saved.id} is ${saved.enabled ? 'on' : 'off'} from the next call`);
      return queries.invalidateQueries({ queryKey: keys.service(service) });
    },
    onError: (error) => notify(`${mapping.id} was not changed: ${error.message}`),
  });
  const word = mapping.enabled ? 'on' : 'off';
  if (owner?.kind === 'scenario') return <span className="pr-1 text-dim">{word}</span>;
  if (mapping.offBy) {
    return (
      <span className="whitespace-nowrap pr-1 text-dim">off by {mapping.offBy.replaceAll('"', '')}</span>
    );
  }
  return (
    <Switch
      label={word}
      aria-label={`${mapping.id} answers`}
      checked={mapping.enabled}
      disabled={toggle.isPending}
      onCheckedChange={toggle.mutate}
    />
  );
}
