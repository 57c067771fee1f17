import { lazy, Suspense, useCallback, useMemo, useRef, useSyncExternalStore } from 'react';
import { useLocation, useSearchParams } from 'wouter';
import { useMyLane } from '@/api/myLane';
import type { Call, Entry } from '@/api/types';
import { count } from '@/lib/format';
import { targetOf } from '@/lib/target';
import { useTitle } from '@/lib/title';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { Waiting } from '@/ui/Waiting';
import { CallsBar, flow, scatter } from './CallsBar';
import { CallTable } from './CallTable';
import { feed } from './callFeed';
import { type GroupedBy, groupings } from './callGroups';
import { changeLines } from './changeLines';
import { commandOf } from './commandOf';
import { IgnoredStrip } from './IgnoredStrip';
import { withoutIgnored } from './ignored';
import { everyLane } from './LaneFilter';
import { mappingLink } from './mappingLink';
import { NoCalls } from './NoCalls';
import { TimelineStrip } from './TimelineStrip';
import { readTime, timeText } from './timelineView';
import { useCallKeys } from './useCallKeys';
import { useCalls } from './useCalls';

// what is not there at first is fetched when it is asked for
const CallFlow = lazy(() => import('./CallFlow').then((m) => ({ default: m.CallFlow })));
const CallGroupTable = lazy(() => import('./CallGroupTable').then((m) => ({ default: m.CallGroupTable })));
const CallScatter = lazy(() => import('./CallScatter').then((m) => ({ default: m.CallScatter })));
const CallView = lazy(() => import('./CallView').then((m) => ({ default: m.CallView })));

/** Of how many calls a scenario can be made; with more, the filter says too little. */
const mostKept = 100;
const noIds: string[] = [];

/** Why a scenario cannot be made of so many calls; '' when it can. */
function hindrance(calls: number): string {
  if (calls > mostKept) return `Filter first: it is made of at most ${mostKept} calls`;
  return calls === 0 ? 'There is no call to make it of' : '';
}

/** While the list is held, it tells of no change that came after its newest call. */
function entriesUpTo(newest: Call | undefined, entries: Entry[]): Entry[] {
  return newest ? entries.filter((entry) => Date.parse(entry.at) <= Date.parse(newest.at)) : [];
}

/** The live calls, the newest first, with one of them open beside the list; of all services, or of one. */
export function CallsPage({ service = '' }: { service?: string }) {
  const [params, setParams] = useSearchParams();
  const [, navigate] = useLocation();
  const text = params.get('text') ?? '';
  const selected = params.get('call') ?? undefined;
  const grouped = groupings.find(([by]) => by === params.get('group'))?.[0];
  const drawn = [flow, scatter].find((one) => one === params.get('group'));
  const mine = useMyLane();
  const lane = params.get('lane') ?? (mine || everyLane);
  const period = params.get('time');
  const scope = useMemo(
    () => ({ service, lane: lane === everyLane ? '' : lane, time: readTime(period) }),
    [service, lane, period],
  );
  const wide = selected !== undefined && params.has('wide');
  const withIgnored = params.has('ignored');
  const all = useCalls(text, scope);
  const { waiting, held, hold, searching, unread } = all;
  const { shown, left } = useMemo(() => withoutIgnored(all.calls), [all.calls]);
  const calls = withIgnored ? all.calls : shown;
  const { skipped, connection, filled, entries } = useSyncExternalStore(feed.subscribe, feed.get);
  const changes = useMemo(
    () => changeLines(calls, held ? entriesUpTo(calls[0], entries) : entries),
    [calls, entries, held],
  );
  const filter = useRef<HTMLInputElement>(null);
  const paused = useRef(false);
  const open = selected ? calls.find(({ id }) => id === selected) : undefined;
  useTitle(...(open ? [`${open.method} ${targetOf(open)}`] : []), 'calls', service);

  const set = useCallback(
    (key: string, value: string | null) =>
      setParams(
        (now) => {
          const next = new URLSearchParams(now);
          if (value) next.set(key, value);
          else next.delete(key);
          return next;
        },
        { replace: true },
      ),
    [setParams],
  );
  const select = useCallback((id: string) => set('call', id), [set]);
  const setTime = useCallback(
    (time?: { from: number; to: number }) => set('time', time ? timeText(time) : null),
    [set],
  );
  const togglePause = useCallback(() => {
    paused.current = !held;
    hold(!held);
  }, [held, hold]);
  const showIgnored = useCallback((on: boolean) => set('ignored', on ? 'yes' : null), [set]);
  const ids = useMemo(() => (calls.length > mostKept ? noIds : calls.map(({ id }) => id)), [calls]);
  useCallKeys({
    calls,
    selected,
    filter,
    select,
    close: () => set('call', null),
    togglePause,
    makeMapping: (call) => navigate(mappingLink(call)),
    toggleWide: () => set('wide', wide ? null : 'yes'),
  });

  return (
    <div className="flex h-full min-h-0 flex-1 flex-col">
      {service ? <h2 className="sr-only">Calls</h2> : <h1 className="sr-only">Calls</h1>}
      <CallsBar
        text={text}
        off={params.get('off') ?? ''}
        filter={filter}
        lane={lane}
        mine={mine}
        shownAs={drawn ?? grouped ?? ''}
        held={held}
        told={held && waiting > 0 ? `${count(waiting, 'new call')} waiting` : count(calls.length, 'call')}
        command={commandOf(text, scope)}
        ids={ids}
        hindered={hindrance(calls.length)}
        set={set}
        onHold={togglePause}
      />
      <TimelineStrip scope={scope} entries={entries} time={scope.time} onTime={setTime} />
      <IgnoredStrip left={left} shown={withIgnored} onShow={showIgnored} />
      {unread && <p className="border-line border-b bg-sunken px-5 py-1.5 text-[13px] text-miss">{unread}</p>}
      {skipped > 0 && (
        <p className="border-line border-b bg-sunken px-5 py-1.5 text-[13px] text-miss">
          {count(skipped, 'call')} arrived too fast to show here. The log has them: reload to see the latest.
        </p>
      )}
      {connection === 'lost' && (
        <div className="px-5 py-2">
          <ProblemNotice message="The connection to Rapid Mimic is lost. This page tries again by itself; the calls shown are from before." />
        </div>
      )}
      <div
        className={`grid min-h-0 flex-1 ${selected && !wide ? 'grid-cols-[minmax(0,1fr)_minmax(0,1fr)]' : 'grid-cols-1'}`}
      >
        {wide ? null : calls.length === 0 && (!filled || searching) ? (
          <Waiting what="the calls" />
        ) : calls.length === 0 ? (
          <NoCalls
            filtered={text !== '' || lane !== everyLane || service !== '' || period !== null}
            onClear={() => setParams({ lane: everyLane }, { replace: true })}
          />
        ) : drawn ? (
          <Suspense fallback={<Waiting what="the calls" />}>
            {drawn === flow ? (
              <CallFlow calls={calls} selected={selected} onSelect={select} />
            ) : (
              <CallScatter calls={calls} selected={selected} onSelect={select} />
            )}
          </Suspense>
        ) : grouped ? (
          <Suspense fallback={<Waiting what="the calls" />}>
            <CallGroupTable
              calls={calls}
              by={grouped as GroupedBy}
              onOpen={(words) => {
                set('group', grouped === 'trace' ? flow : null);
                set('text', `${text} ${words}`.trim());
              }}
            />
          </Suspense>
        ) : (
          <CallTable
            calls={calls}
            changes={changes}
            mixed={lane === everyLane}
            selected={selected}
            narrow={selected !== undefined}
            onSelect={select}
            onAway={(away) => {
              if (!paused.current) hold(away);
            }}
          />
        )}
        {selected && (
          <Suspense fallback={<Waiting what="the call" />}>
            <CallView
              id={selected}
              wide={wide}
              onWide={(on) => set('wide', on ? 'yes' : null)}
              other={params.get('with') ?? ''}
              onOther={(id) => set('with', id)}
              onClose={() => set('call', null)}
            />
          </Suspense>
        )}
      </div>
    </div>
  );
}
