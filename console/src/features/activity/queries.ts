import { infiniteQueryOptions, queryOptions, useMutation, useQueryClient } from '@tanstack/react-query';
import { part, send, undoEntry } from '@/api/http';
import { keys } from '@/api/keys';
import type { Entry, EntryDetail, Mark } from '@/api/types';
import { notifyChange } from '@/ui/Notices';

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
  });
}

/** An entry with each definition before and after. */
export function entryDetail(id: string) {
  return queryOptions({
    queryKey: keys.entry(id),
    queryFn: () => send<EntryDetail>(`/activity/${part(id)}`),
  });
}

/** The moments that were named. */
export function markList() {
  return queryOptions({ queryKey: keys.marks(), queryFn: () => send<{ items: Mark[] }>('/marks') });
}

export function setMark(name: string) {
  return send<Mark>('/marks', { method: 'POST', body: JSON.stringify({ name }) });
}

/** Lets everything come back to a mark every night at a time; with '' not any more. */
export function setNightly(name: string, everyNight: string) {
  return send<Mark>(`/marks/${part(name)}`, { method: 'PATCH', body: JSON.stringify({ everyNight }) });
}

export function removeMark(name: string) {
  return send<void>(`/marks/${part(name)}`, { method: 'DELETE' });
}

/** Brings everything back to a mark; dry, it only says what would be another. */
export function backTo(name: string, dry: boolean) {
  return send<{ lines: string[]; entry?: string }>(
    `/marks/${part(name)}/returns${dry ? '?dryRun=true' : ''}`,
    { method: 'POST', asks: dry },
  );
}

/** Takes an entry back; all that is shown may be another since. */
export function useUndo() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: undoEntry,
    onSuccess: (made, id) => {
      notifyChange(`${id} is undone: ${made.lines.join('; ')}`);
      return queries.invalidateQueries();
    },
  });
}
