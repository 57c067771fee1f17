import { queryOptions } from '@tanstack/react-query';
import { send } from '@/api/http';
import { keys } from '@/api/keys';
import type { Call, Ignored } from '@/api/types';

/** Which calls lists leave out unless they are asked for. */
export const ignoredQuery = queryOptions({
  queryKey: keys.ignored(),
  queryFn: () => send<Ignored>('/ignored'),
  refetchInterval: 60_000, // the whole log is counted
});

/** Ignores a call and others to the same place. */
export function ignoreLike(call: string) {
  return send<Ignored>('/ignored', { method: 'POST', body: JSON.stringify({ call }) });
}

/** Says what is ignored from now on; etag is that of what was read. */
export function putIgnored(calls: string[], off: boolean, etag: string) {
  return send<Ignored>('/ignored', { method: 'PUT', body: JSON.stringify({ calls, off, etag }) });
}

/** Calls without those that are ignored, and how many those are. */
export function withoutIgnored(calls: Call[]): { shown: Call[]; left: number } {
  if (!calls.some((call) => call.ignored)) return { shown: calls, left: 0 };
  const shown = calls.filter((call) => !call.ignored);
  return { shown, left: calls.length - shown.length };
}
