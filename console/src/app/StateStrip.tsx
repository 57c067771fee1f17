import { useSyncExternalStore } from 'react';
import { Link } from 'wouter';
import { useMyLane } from '@/api/myLane';
import { useStatus } from '@/api/status';
import { feed } from '@/features/calls';
import { ImpairmentStrip } from '@/features/impairments';
import { LaneStrip } from '@/features/lanes';
import { SearchDialog } from '@/features/search';
import { count, total } from '@/lib/format';
import { Mark } from '@/ui/Mark';
import { Holder } from './Holder';
import { KeyHelp } from './KeyHelp';
import { Others } from './Others';
import { ThemeSwitch } from './ThemeSwitch';

/** What is true now, on every page: situation, calls arriving, calls lost, connection. */
export function StateStrip() {
  const mine = useMyLane();
  const { data, isError } = useStatus();
  const connection = useSyncExternalStore(feed.subscribe, () => feed.get().connection);
  const lost = isError || connection === 'lost';
  return (
    <header className="flex h-10 shrink-0 items-center gap-5 whitespace-nowrap border-line border-b bg-panel px-5 text-[13px]">
      <Link href="/" className="flex items-center gap-2 font-semibold">
        <Mark /> <span className="max-md:sr-only">Rapid Mimic</span>
      </Link>
      <div className="flex h-full min-w-0 flex-1 items-center gap-5 overflow-x-auto">
        <span className="hidden text-dim lg:inline">{location.host}</span>
        {data && <LaneStrip status={data} mine={mine} />}
        {data && !data.laneClosed && <ImpairmentStrip status={data} />}
        {data?.variableSet && (
          <Link href="/variables" className="font-medium text-accent hover:underline">
            variables: {data.variableSet}
          </Link>
        )}
        {data && (
          <Link href="/calls" className="hover:underline" data-testid="last-minute">
            <strong>{total(data.lastMinute)}</strong> {total(data.lastMinute) === 1 ? 'call' : 'calls'} in the
            last minute
          </Link>
        )}
        {data && data.callsNotKept > 0 && (
          <span className="font-medium text-miss" role="status">
            {count(data.callsNotKept, 'call')} not kept
          </span>
        )}
        {data?.faults?.map((fault) => (
          <span
            key={fault}
            role="alert"
            title={fault}
            className="max-w-[320px] truncate font-medium text-bad"
          >
            {fault}
          </span>
        ))}
        {data?.callsMissing && data.callsNotKept === 0 && (
          <Link href="/calls" className="font-medium text-miss hover:underline" title={data.callsMissing}>
            calls missing
          </Link>
        )}
        {data && data.callsNotChecked > 0 && (
          <span
            className="text-dim"
            title="They could not be held against their contracts to the end, or in time."
          >
            {count(data.callsNotChecked, 'call')} not checked
          </span>
        )}
        {data?.recording?.map(({ service, name, calls }) => (
          <Link
            key={service}
            href={`/services/${encodeURIComponent(service)}/recordings`}
            title={`“${name}” runs`}
            className="font-medium text-upstream hover:underline"
          >
            recording {service}, {count(calls, 'call')}
          </Link>
        ))}
        {data?.publicHosts && (
          <span
            className="font-medium text-miss"
            title="Programs that trust the authority here get what a service answers instead of these hosts of the public internet."
          >
            answers for {data.publicHosts.join(', ')}
          </span>
        )}
        {data?.relaying && (
          <Link href="/" className="text-dim hover:underline">
            {data.relaying.join(', ')} relay{data.relaying.length === 1 ? 's' : ''}
          </Link>
        )}
      </div>
      <span className="flex shrink-0 items-center gap-2">
        <span role="status" className={lost ? 'font-medium text-bad' : 'text-dim max-md:sr-only'}>
          {lost ? 'connection lost, trying again' : connection === 'live' ? 'live' : 'connecting …'}
        </span>
        <span className="contents max-md:hidden">
          <Others />
          <Holder />
        </span>
        <SearchDialog />
        <KeyHelp />
        <ThemeSwitch />
      </span>
    </header>
  );
}
