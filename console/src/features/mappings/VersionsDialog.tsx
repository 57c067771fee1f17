import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { keys } from '@/api/keys';
import type { MappingVersion } from '@/api/types';
import { moment } from '@/lib/format';
import { Awaited } from '@/ui/Awaited';
import { Button } from '@/ui/Button';
import { cn } from '@/ui/cn';
import { Dialog, DialogContent, DialogTrigger } from '@/ui/Dialog';
import { DiffView } from '@/ui/DiffView';
import { notify, notifyChange } from '@/ui/Notices';
import { mappingText, mappingVersions, restoreMapping, versionText } from './queries';

interface Props {
  service: string;
  id: string;
}

/** Whether the versions are shown. The page keeps it, since each save begins the editor anew. */
export interface ShownVersions {
  open: boolean;
  setOpen(open: boolean): void;
}

/** The states that a mapping was in: each can be compared with the present one, and restored. */
export function VersionsDialog({ service, id, open, setOpen }: Props & ShownVersions) {
  return (
    <Dialog open={open} onOpenChange={setOpen}>
      <DialogTrigger asChild>
        <Button>History</Button>
      </DialogTrigger>
      <DialogContent title={`Who changed ${id}, and when`} className="w-[min(1080px,96vw)]">
        <Versions service={service} id={id} close={() => setOpen(false)} />
      </DialogContent>
    </Dialog>
  );
}

function Versions({ service, id, close }: Props & { close(): void }) {
  const query = useQuery({ ...mappingVersions(service, id), staleTime: 0 });
  return (
    <Awaited query={query} what="the versions">
      {({ items }) => <Compared service={service} id={id} items={items} close={close} />}
    </Awaited>
  );
}

function Compared({ service, id, items, close }: Props & { items: MappingVersion[]; close(): void }) {
  const earlier = items.filter((v) => !v.current);
  const [version, setVersion] = useState(earlier.find((v) => !v.removed)?.version ?? 0);
  const queries = useQueryClient();
  const then = useQuery({ ...versionText(service, id, version), enabled: version > 0 });
  const now = useQuery(mappingText(service, id, ''));
  const restore = useMutation({
    mutationFn: () => restoreMapping(service, id, version),
    onSuccess: async () => {
      notifyChange(`${id} is again as at version ${version}, live on the next call`);
      close();
      await queries.invalidateQueries({ queryKey: keys.service(service) });
    },
    onError: (error) => notify(`${id} was not restored: ${error.message}`),
  });
  return (
    <div className="grid gap-4 md:grid-cols-[250px_minmax(0,1fr)]">
      <ul className="max-h-[60vh] space-y-0.5 overflow-y-auto text-[13px]">
        {items.map((v, index) => (
          <li key={v.version}>
            <button
              type="button"
              disabled={v.current || v.removed}
              aria-pressed={v.version === version}
              onClick={() => setVersion(v.version)}
              className={cn(
                'w-full rounded px-2 py-1 text-left enabled:hover:bg-sunken disabled:text-dim',
                v.version === version && 'bg-sunken',
              )}
            >
              <span className="tabular-nums">{v.version}</span> · {v.at ? moment(v.at) : 'before'}
              <span className="block text-dim text-xs">
                {what(v, index === items.length - 1)}
                {v.by && `, by ${v.by}`}
              </span>
            </button>
          </li>
        ))}
      </ul>
      <div className="min-w-0 space-y-3">
        {version === 0 && <p className="text-dim text-[13px]">There is no earlier version yet.</p>}
        {then.data !== undefined && now.data !== undefined && (
          <>
            <DiffView before={then.data} after={now.data} titles={[`Version ${version}`, 'As it is kept']} />
            <Button look="main" disabled={restore.isPending} onClick={() => restore.mutate()}>
              Restore version {version}
            </Button>
          </>
        )}
      </div>
    </div>
  );
}

function what(v: MappingVersion, first: boolean): string {
  if (v.removed) return 'removed';
  if (v.current) return 'in force';
  return first ? 'made' : 'changed';
}
