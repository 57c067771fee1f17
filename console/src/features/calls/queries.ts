import { queryOptions } from '@tanstack/react-query';
import { part, send } from '@/api/http';
import { keys } from '@/api/keys';
import { inLane } from '@/api/myLane';
import type { Call, CallComparison, CallDetail, TestCall, TestCallResult, Timeline } from '@/api/types';
import type { CallScope } from './callFilter';

const searched = 500;

/** Searches the log, beyond the calls that the page holds. */
export function callSearch(text: string, { lane = '', service = '', time }: CallScope) {
  const moment = (at: number) => encodeURIComponent(new Date(at).toISOString());
  const during = time ? `&since=${moment(time.from)}&until=${moment(time.to)}` : '';
  return queryOptions({
    queryKey: keys.calls(`${text}${during}`, lane, service),
    queryFn: async () => {
      const begun = performance.now();
      const { items } = await send<{ items: Call[] }>(
        inLane(
          `/calls?limit=${searched}&ignored=true&text=${part(text)}${service && `&service=${part(service)}`}${during}`,
          lane,
        ),
      );
      return { items, took: performance.now() - begun };
    },
    enabled: text.trim() !== '' || lane !== '' || service !== '' || during !== '',
    staleTime: 10_000,
  });
}

/** How many calls came in the last quarter of an hour. */
export function timelineOf({ lane = '', service = '' }: CallScope) {
  return queryOptions({
    queryKey: keys.timeline(service, lane),
    queryFn: () => send<Timeline>(inLane(`/calls/timeline${service && `?service=${part(service)}`}`, lane)),
    refetchInterval: 2_000,
  });
}

export function callDetail(id: string) {
  return queryOptions({
    queryKey: keys.call(id),
    queryFn: () => send<CallDetail>(`/calls/${part(id)}`),
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** A call beside another, or beside what it would get: now, mapping:ID, example:NAME or recording. */
export function comparisonOf(id: string, other: string, all: boolean) {
  return queryOptions({
    queryKey: keys.comparison(id, other, all),
    queryFn: () =>
      send<CallComparison>(`/calls/${part(id)}/comparison?with=${part(other)}${all ? '&all=true' : ''}`),
    staleTime: /^c-/.test(other) ? Number.POSITIVE_INFINITY : 0,
    retry: false,
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

/** Sends a call to a service over the network. */
export function sendTestCall(service: string, test: TestCall) {
  return send<TestCallResult>(`/services/${part(service)}/test-calls`, {
    method: 'POST',
    asks: true,
    body: JSON.stringify(test),
  });
}
