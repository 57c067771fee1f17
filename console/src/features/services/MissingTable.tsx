import { useMemo, useSyncExternalStore } from 'react';
import { Link } from 'wouter';
import { useMyLane } from '@/api/myLane';
import { feed } from '@/features/calls';
import { count } from '@/lib/format';
import { Button } from '@/ui/Button';
import { Panel } from '@/ui/Panel';
import { SourceMark } from '@/ui/SourceMark';
import { groupMisses } from './missing';

const shown = 5;

/** What was asked for but missing, each with the way to an answer. */
export function MissingTable({ service }: { service: string }) {
  const { calls } = useSyncExternalStore(feed.subscribe, feed.get);
  const lane = useMyLane();
  const missing = useMemo(() => groupMisses(calls, service, lane), [calls, service, lane]);
  if (missing.length === 0) return null;
  const base = `/services/${encodeURIComponent(service)}/mappings`;
  return (
    <Panel title="Asked for but missing">
      <ul className="border-line border-t text-[13px]">
        {missing.slice(0, shown).map((group) => (
          <li
            key={`${group.method} ${group.path}`}
            className="flex items-center gap-4 border-line border-b bg-panel px-5 py-1.5"
          >
            <span className="min-w-0 flex-1 truncate font-mono text-xs">
              <span className="inline-block w-[52px]">{group.method}</span> {group.path}
            </span>
            <SourceMark source="miss" />
            <Link
              href={`/calls?${new URLSearchParams({ text: `miss /${service}`, call: group.last.id })}`}
              className="text-accent hover:underline"
            >
              {count(group.count, 'call')}, differs in {group.last.by}
            </Link>
            <Link href={`${base}?${new URLSearchParams({ from: group.last.id })}`} asChild>
              <Button className="h-7">Make a mapping</Button>
            </Link>
          </li>
        ))}
      </ul>
    </Panel>
  );
}
