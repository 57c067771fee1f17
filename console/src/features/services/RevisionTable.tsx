import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { Revision } from '@/api/types';
import { Awaited } from '@/ui/Awaited';
import { Button } from '@/ui/Button';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { ChangeList } from './ChangeList';
import { revisionChanges, revisionList } from './queries';

interface Props {
  service: string;
  restore(revision: number): void;
}

/** The revisions of a contract, the newest first, with what each changed. */
export function RevisionTable({ service, restore }: Props) {
  const query = useQuery({ ...revisionList(service), refetchInterval: 5_000 });
  return (
    <Awaited query={query} what="the revisions">
      {({ items }) => (
        <ul className="border-line border-t text-[13px]">
          {[...items].reverse().map((revision) => (
            <RevisionRow key={revision.revision} service={service} revision={revision} restore={restore} />
          ))}
        </ul>
      )}
    </Awaited>
  );
}

interface RowProps extends Props {
  service: string;
  revision: Revision;
}

function RevisionRow({ service, revision, restore }: RowProps) {
  const [open, setOpen] = useState(false);
  const changes = useQuery({ ...revisionChanges(service, revision.revision), enabled: open });
  return (
    <li className="border-line border-b bg-panel px-5 py-1.5" data-revision={revision.revision}>
      <div className="flex min-h-7 items-center gap-4">
        <span className="w-24 font-medium">Revision {revision.revision}</span>
        <span className="w-40 text-dim tabular-nums">
          {new Date(revision.imported).toLocaleString('en-GB')}
        </span>
        <code className="min-w-0 flex-1 truncate text-xs">{revision.file}</code>
        {revision.revision > 1 && (
          <Button look="bare" className="h-7" aria-expanded={open} onClick={() => setOpen(!open)}>
            {open ? 'Hide the changes' : 'What it changed'}
          </Button>
        )}
        {revision.current ? (
          <span className="px-2.5 text-dim">in force</span>
        ) : (
          <Button className="h-7" onClick={() => restore(revision.revision)}>
            Restore
          </Button>
        )}
      </div>
      {open && (
        <div className="py-1.5">
          {changes.isPending && <p className="text-dim">Comparing …</p>}
          {changes.isError && <ProblemNotice message={changes.error.message} />}
          {changes.data && <ChangeList changes={changes.data} />}
        </div>
      )}
    </li>
  );
}
