import { queryOptions } from '@tanstack/react-query';
import { part, send } from '@/api/http';
import { keys } from '@/api/keys';
import { inLane } from '@/api/myLane';
import type { Call, CallDetail } from '@/api/types';

const searched = 500;

/** Searches the log, beyond the calls that the page holds. */
export function callSearch(text: string, lane: string) {
  return queryOptions({
    queryKey: keys.calls(text, lane),
    queryFn: async () => {
      const begun = performance.now();
      const { items } = await send<{ items: Call[] }>(
        inLane(`/calls?limit=${searched}&ignored=true&text=${part(text)}`, lane),
      );
      return { items, took: performance.now() - begun };
    },
    enabled: text.trim() !== '' || lane !== '',
    staleTime: 10_000,
  });
}

export function callDetail(id: string) {
  return queryOptions({
    queryKey: keys.call(id),
    queryFn: () => send<CallDetail>(`/calls/${part(id)}`),
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** Has a mapping answer a call, too, that its conditions did not fit. */
export function loosenMapping(service: string, mapping: string, call: string) {
  return send<{ notes: string[] }>(`/services/${part(service)}/mappings/${part(mapping)}/loosenings`, {
    method: 'POST',
    body: JSON.stringify({ call }),
  });
}

export function clearCalls() {
  return send<void>('/calls', { method: 'DELETE' });
}
