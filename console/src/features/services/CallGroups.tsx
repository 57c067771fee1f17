import type { ReactNode } from 'react';
import { useMemo, useSyncExternalStore } from 'react';
import { Link } from 'wouter';
import { useMyLane } from '@/api/myLane';
import type { Service } from '@/api/types';
import { feed } from '@/features/calls';
import { count } from '@/lib/format';
import { Button } from '@/ui/Button';
import { Panel } from '@/ui/Panel';
import { SourceMark } from '@/ui/SourceMark';
import { type CallGroup, groupMisses, groupUndescribed } from './groups';

const shown = 5;

/** What was asked for but missing, each with the way to an answer. */
export function MissingTable({ service }: { service: string }) {
  const { calls } = useSyncExternalStore(feed.subscribe, feed.get);
  const lane = useMyLane();
  const groups = useMemo(() => groupMisses(calls, service, lane), [calls, service, lane]);
  const base = `/services/${encodeURIComponent(service)}/mappings`;
  return (
    <CallGroups title="Asked for but missing" groups={groups}>
      {(group) => (
        <>
          <SourceMark source="miss" />
          <Calls group={group} find={`miss /${service}`}>
            , differs in {group.last.by}
          </Calls>
          <Link href={`${base}?${new URLSearchParams({ from: group.last.id })}`} asChild>
            <Button className="h-7">Make a mapping</Button>
          </Link>
        </>
      )}
    </CallGroups>
  );
}

/** What was relayed to addresses that the contract does not know: it is out of step. */
export function UndescribedTable({ service }: { service: Service }) {
  const { calls } = useSyncExternalStore(feed.subscribe, feed.get);
  const lane = useMyLane();
  const groups = useMemo(() => groupUndescribed(calls, service, lane), [calls, service, lane]);
  return (
    <CallGroups title="Relayed, but no operation describes it" groups={groups}>
      {(group) => (
        <>
          <SourceMark source="upstream" />
          <Calls group={group} find={`upstream ${group.path}`} />
        </>
      )}
    </CallGroups>
  );
}

interface Props {
  title: string;
  groups: CallGroup[];
  /** What stands after the address. */
  children: (group: CallGroup) => ReactNode;
}

function CallGroups({ title, groups, children }: Props) {
  if (groups.length === 0) return null;
  return (
    <Panel title={title}>
      <ul className="border-line border-t text-[13px]">
        {groups.slice(0, shown).map((group) => (
          <li
            key={`${group.method} ${group.path}`}
            className="flex items-center gap-4 border-line border-b bg-panel px-5 py-1.5"
          >
            <span className="min-w-0 flex-1 truncate font-mono text-xs">
              <span className="inline-block w-[52px]">{group.method}</span> {group.path}
            </span>
            {children(group)}
          </li>
        ))}
      </ul>
    </Panel>
  );
}

function Calls({ group, find, children }: { group: CallGroup; find: string; children?: ReactNode }) {
  return (
    <Link
      href={`/calls?${new URLSearchParams({ text: find, call: group.last.id })}`}
      className="text-accent hover:underline"
    >
      {count(group.count, 'call')}
      {children}
    </Link>
  );
}
