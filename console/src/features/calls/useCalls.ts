import { useQuery } from '@tanstack/react-query';
import { useCallback, useDeferredValue, useMemo, useState, useSyncExternalStore } from 'react';
import { Problem } from '@/api/http';
import type { Call } from '@/api/types';
import { useSettled } from '@/lib/useSettled';
import { feed } from './callFeed';
import { type CallScope, callNumber, filterCalls, mergeCalls, wantedOf } from './callFilter';
import { callSearch } from './queries';

export interface ShownCalls {
  calls: Call[];
  /** Calls that arrived since the list was held. */
  waiting: number;
  held: boolean;
  /** The service is looking, and there is nothing to show before it has answered. */
  searching: boolean;
  /** What of the text the service cannot read; '' for nothing. */
  unread: string;
  /** Keeps the list as it is, or lets it follow again. */
  hold(on: boolean): void;
}

/** What the page itself knows of what stands in bodies. */
const none: Call[] = [];

/** The calls to show: live, or held as they were, and filtered. The scope stays the same object while it says the same. */
export function useCalls(text: string, scope: CallScope): ShownCalls {
  const { calls: live, emptied } = useSyncExternalStore(feed.subscribe, feed.get);
  const [held, setHeld] = useState<{ calls: Call[]; emptied: number } | null>(null);
  const hold = useCallback((on: boolean) => setHeld((now) => (on ? (now ?? feed.get()) : null)), []);
  const frozen = held && (held.emptied === emptied ? held.calls : none); // what was emptied is gone
  const wanted = useDeferredValue(text);
  const asked = useSettled(wanted, 250);
  const filter = useMemo(() => wantedOf(wanted), [wanted]);
  const { inBodies } = filter;
  const search = useQuery({
    ...callSearch(asked, scope),
    // a search in bodies reads all of them, which is not to keep the service busy
    refetchInterval: (query) =>
      inBodies && !frozen ? Math.max(2_000, 10 * (query.state.data?.took ?? 0)) : false,
  });
  const base = inBodies ? none : (frozen ?? live);
  const calls = useMemo(() => {
    const fitting = filterCalls(base, filter, scope);
    const older = search.data ? filterCalls(search.data.items, filter, scope) : [];
    if (older.length === 0) return fitting;
    const newest = base[0] ? callNumber(base[0]) : Number.POSITIVE_INFINITY;
    return mergeCalls(
      fitting,
      older.filter((call) => callNumber(call) <= newest),
      10_000,
    );
  }, [base, filter, scope, search.data]);
  const waiting = useMemo(
    () => (frozen && !inBodies ? countNewer(live, frozen[0]) : 0),
    [live, frozen, inBodies],
  );
  return {
    calls,
    waiting,
    held: frozen !== null,
    searching: inBodies && search.isPending,
    unread: search.error instanceof Problem && search.error.code === 'invalid' ? search.error.message : '',
    hold,
  };
}

function countNewer(live: Call[], than: Call | undefined): number {
  if (!than) return live.length;
  const number = callNumber(than);
  const at = live.findIndex((call) => callNumber(call) <= number);
  return at < 0 ? live.length : at;
}
