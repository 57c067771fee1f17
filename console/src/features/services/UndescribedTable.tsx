import { useMemo, useSyncExternalStore } from 'react';
import { Link } from 'wouter';
import { useMyLane } from '@/api/myLane';
import type { Service } from '@/api/types';
import { groupUndescribed } from '@/features/answers';
import { feed } from '@/features/calls';
import { count } from '@/lib/format';
import { Panel } from '@/ui/Panel';
import { SourceMark } from '@/ui/SourceMark';

const shown = 5;

/** What was relayed to addresses that the contract does not know: it is out of step. */
export function UndescribedTable({ service }: { service: Service }) {
  const { calls } = useSyncExternalStore(feed.subscribe, feed.get);
  const lane = useMyLane();
  const groups = useMemo(() => groupUndescribed(calls, service, lane), [calls, service, lane]);
  if (groups.length === 0) return null;
  return (
    <Panel title="Relayed, but no operation describes it">
      <ul className="border-line border-t text-[13px]">
        {groups.slice(0, shown).map((group) => (
          <li
            key={`${group.method} ${group.path}`}
            className="flex items-center gap-4 border-line border-b bg-panel px-5 py-1.5"
          >
            <span className="min-w-0 flex-1 truncate font-mono text-xs">
              <span className="inline-block w-[52px]">{group.method}</span> {group.path}
            </span>
            <SourceMark source="upstream" />
            <Link
              href={`/calls?${new URLSearchParams({ text: `upstream ${group.path}`, call: group.last.id })}`}
              className="text-accent hover:underline"
            >
              {count(group.count, 'call')}
            </Link>
          </li>
        ))}
      </ul>
    </Panel>
  );
}
