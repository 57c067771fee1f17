import { queryOptions } from '@tanstack/react-query';
import { part, send } from '@/api/http';
import { keys } from '@/api/keys';
import type { Boundaries, Walk } from '@/api/types';

export function walkList() {
  return queryOptions({ queryKey: keys.walks(), queryFn: () => send<{ items: Walk[] }>('/walks') });
}

export function walkNamed(name: string) {
  return queryOptions({
    queryKey: keys.walk(name),
    queryFn: () => send<Walk>(`/walks/${part(name)}`),
    refetchInterval: 2_000, // calls come
  });
}

/** Whose answer is varied: that of a call, or of a mapping. */
export type Varied = { call: string } | { mapping: string };

export function boundariesOf(service: string, of: Varied, at: string) {
  return queryOptions({
    queryKey: keys.boundaries(service, Object.values(of)[0] ?? '', at),
    queryFn: () =>
      send<Boundaries>(`/services/${part(service)}/boundary-values?${new URLSearchParams({ ...of, at })}`),
    retry: false,
  });
}

export type NewWalk = Varied & {
  service: string;
  at: string[];
  only: string;
  lane: string;
};

export const createWalk = (walk: NewWalk) =>
  send<Walk>('/walks', { method: 'POST', body: JSON.stringify(walk) });

export const goInWalk = (name: string, to: number) =>
  send<Walk>(`/walks/${part(name)}/position`, { method: 'PUT', body: JSON.stringify({ to: `${to}` }) });

export const noteInWalk = (name: string, step: number, verdict: string, text: string) =>
  send<Walk>(`/walks/${part(name)}/steps/${step}`, {
    method: 'PUT',
    body: JSON.stringify({ verdict, text }),
  });

export const endWalk = (name: string) => send<Walk>(`/walks/${part(name)}/end`, { method: 'POST' });

export const removeWalk = (name: string) => send<void>(`/walks/${part(name)}`, { method: 'DELETE' });
