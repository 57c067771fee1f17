import { infiniteQueryOptions, queryOptions, useMutation, useQueryClient } from '@tanstack/react-query';
import { part, send, undoEntry } from '@/api/http';
import { keys } from '@/api/keys';
import type { Entry, EntryDetail } from '@/api/types';
import { notify } from '@/ui/Notices';

export interface Wanted {
  service: string;
  by: string;
}

/** Who changed what, the newest first; more of it on demand. */
export function activityList({ service, by }: Wanted) {
  return infiniteQueryOptions({
    queryKey: keys.activityList(service, by),
    queryFn: ({ pageParam }) => {
      const query = new URLSearchParams({ limit: '50' });
      if (service) query.set('service', service);
      if (by) query.set('by', by);
      if (pageParam) query.set('after', pageParam);
      return send<{ items: Entry[]; next?: string }>(`/activity?${query}`);
    },
    initialPageParam: '',
    getNextPageParam: ({ next }) => next,
    refetchInterval: 3_000,
  });
}

/** An entry with each definition before and after. */
export function entryDetail(id: string) {
  return queryOptions({
    queryKey: keys.entry(id),
    queryFn: () => send<EntryDetail>(`/activity/${part(id)}`),
  });
}

/** Takes an entry back; all that is shown may be another since. */
export function useUndo() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: undoEntry,
    onSuccess: async (made, id) => {
      await queries.invalidateQueries();
      notify(`${id} is undone: ${made.lines.join('; ')}`, () =>
        undoEntry(made.id).then(() => queries.invalidateQueries()),
      );
    },
  });
}
