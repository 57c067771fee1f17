import { queryOptions } from '@tanstack/react-query';
import { part, send } from '@/api/http';
import type { Call, CallDetail } from '@/api/types';

const searched = 500;

/** Searches the log, beyond the calls that the page holds. */
export function callSearch(text: string) {
  return queryOptions({
    queryKey: ['calls', text],
    queryFn: () => send<{ items: Call[] }>(`/calls?limit=${searched}&text=${part(text)}`),
    enabled: text.trim() !== '',
    staleTime: 10_000,
  });
}

export function callDetail(id: string) {
  return queryOptions({
    queryKey: ['call', id],
    queryFn: () => send<CallDetail>(`/calls/${part(id)}`),
    staleTime: Number.POSITIVE_INFINITY,
  });
}

export function clearCalls() {
  return send<void>('/calls', { method: 'DELETE' });
}
