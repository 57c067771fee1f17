import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Link, useSearchParams } from 'wouter';
import { keys } from '@/api/keys';
import { mappingList } from '@/api/mappings';
import { useMyLane, useView } from '@/api/myLane';
import type { Mapping } from '@/api/types';
import { count } from '@/lib/format';
import { statusText } from '@/lib/statusText';
import { Awaited } from '@/ui/Awaited';
import { cn } from '@/ui/cn';
import { inputLook } from '@/ui/Field';
import { notify, notifyChange } from '@/ui/Notices';
import { Switch } from '@/ui/Switch';
import { ManyMappings } from './ManyMappings';
import { documentOfMapping, statusesOf } from './mappingDraft';
import { selectMappings } from './mappingFilter';
import { editorOf, ownerOf, ownerText } from './owner';
import { putMapping } from './queries';
import { RemovedDialog } from './RemovedDialog';

const cell = 'px-3 py-1.5 align-middle first:pl-5 last:pr-5';

/** The mappings of a service, each with its switch. */
export function MappingTable({ service }: { service: string }) {
  const query = useQuery(mappingList(service, useView()));
  return (
    <Awaited query={query} what="the mappings">
      {({ items, next }) => <Rows service={service} items={items} next={next} />}
    </Awaited>
  );
}

function Rows({ service, items, next }: { service: string; items: Mapping[]; next?: string }) {
  const [params, setParams] = useSearchParams();
  const filter = params.get('mappings') ?? '';
  if (items.length === 0) {
    return (
      <p className="flex items-center gap-3 px-5 text-dim">
        None yet. A mapping says: when a call looks like this, give that answer.
        <RemovedDialog service={service} />
      </p>
    );
  }
  const selected = selectMappings(items, filter);
  return (
    <>
      <div className="flex min-h-8 flex-wrap items-center gap-3 px-5 pb-2">
        <input
          type="search"
          aria-label="Filter mappings"
          placeholder="id, path, title, label:night, problem:"
          value={filter}
          onChange={(event) => setParams(filtered(event.target.value), { replace: true })}
          className={cn(inputLook, 'w-72')}
        />
        {filter.trim() && selected.length > 0 && <ManyMappings service={service} selected={selected} />}
        {filter.trim() && selected.length === 0 && <span className="text-dim">None fits.</span>}
        <span className="ml-auto">
          <RemovedDialog service={service} />
        </span>
      </div>
      <table className="w-full border-line border-t text-[13px]">
        <thead className="sr-only">
          <tr>
            <th>Call</th>
            <th>Mapping</th>
            <th>Answer</th>
            <th>Calls</th>
            <th>Switch</th>
          </tr>
        </thead>
        <tbody>
          {selected.map((mapping) => (
            <MappingRow key={`${mapping.origin ?? ''} ${mapping.id}`} service={service} mapping={mapping} />
          ))}
        </tbody>
      </table>
      {next && <p className="px-5 py-2 text-dim text-xs">Only the first {items.length} are shown.</p>}
    </>
  );
}

/** Keeps the filter in the URL, beside what stands there. */
function filtered(text: string) {
  return (now: URLSearchParams) => {
    if (text) now.set('mappings', text);
    else now.delete('mappings');
    return now;
  };
}

function MappingRow({ service, mapping }: { service: string; mapping: Mapping }) {
  const { method } = mapping.call;
  const owner = ownerText(mapping.origin, useMyLane());
  const statuses = statusesOf(mapping);
  const methods = Array.isArray(method) ? method.join('|') : (method ?? (mapping.call.path ? 'any' : ''));
  return (
    <tr className="border-line border-b bg-panel" data-mapping={mapping.id}>
      <td className={`${cell} font-mono text-xs`}>
        {methods && <span className="inline-block w-[52px]">{methods}</span>}{' '}
        {mapping.call.path ?? `operation ${mapping.call.operation}`}{' '}
        <span className="text-dim">{mapping.telling?.slice(0, 4).join(' ')}</span>
      </td>
      <td className={cell}>
        <Link
          href={editorOf(service, mapping.id, mapping.origin)}
          className="font-medium text-accent hover:underline"
        >
          {mapping.id}
        </Link>{' '}
        {owner && <span className="font-medium">{owner} </span>}
        <span className="text-dim">{mapping.title}</span>{' '}
        {mapping.labels?.map((label) => (
          <span key={label} className="mr-1 rounded bg-sunken px-1.5 py-0.5 text-dim text-xs">
            {label}
          </span>
        ))}
      </td>
      <td className={cell}>
        {[...new Set(statuses)].join(', ')}{' '}
        {new Set(statuses).size === 1 && <span className="text-dim">{statusText(Number(statuses[0]))} </span>}
        {mapping.problem && (
          <span className="font-medium text-miss" title={mapping.problem}>
            never answers{' '}
          </span>
        )}
        {mapping.deviations && mapping.deviations.length > 0 && (
          <span
            className="font-medium text-miss"
            title={mapping.deviations.map((d) => `${d.where}: ${d.detail}`).join('; ')}
          >
            deviates
          </span>
        )}
      </td>
      <td className={`${cell} whitespace-nowrap text-right text-dim text-xs`}>
        {mapping.calls && count(mapping.calls.total, 'call')}
      </td>
      <td className={`${cell} w-px text-right`}>
        <MappingSwitch service={service} mapping={mapping} />
      </td>
    </tr>
  );
}

function MappingSwitch({ service, mapping }: { service: string; mapping: Mapping }) {
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
