import { queryOptions } from '@tanstack/react-query';
import { part, send } from '@/api/http';
import { keys } from '@/api/keys';
import { inLane } from '@/api/myLane';
import type { ImpairmentItem, Impairments, Line, Target, Timings } from '@/api/types';

/** What is on in a lane, or with '' for calls in none; likewise below. */
export function impairmentList(lane: string) {
  return queryOptions({
    queryKey: keys.impairmentsIn(lane),
    queryFn: () => send<Impairments>(inLane('/impairments', lane)),
    refetchInterval: 2_000,
  });
}

export function lineList() {
  return queryOptions({ queryKey: keys.lines(), queryFn: () => send<{ items: Line[] }>('/lines') });
}

export function timingsOf(service: string, lane: string) {
  return queryOptions({
    queryKey: keys.timings(service, lane),
    queryFn: () => send<Timings>(inLane(`/services/${part(service)}/timings`, lane)),
    refetchInterval: 2_000,
  });
}

function addressOf({ service, operation, mapping }: Target): string {
  if (!service) return '/impairments';
  const query = new URLSearchParams();
  if (operation) query.set('operation', operation);
  if (mapping) query.set('mapping', mapping);
  return `/services/${part(service)}/impairments?${query}`;
}

/** Switches a document on instead of the version of it that has this tag; '' for any. */
export function setImpairment(target: Target, document: string, lane: string, etag = '') {
  return send<ImpairmentItem>(inLane(addressOf(target), lane), {
    method: 'PUT',
    body: document,
    ifMatch: etag,
  });
}

export function removeImpairment(target: Target, lane: string) {
  return send<Impairments>(inLane(addressOf(target), lane), { method: 'DELETE' });
}

/** Removes all impairments that a lane has of its own. */
export function removeFromLane(lane: string) {
  return send<Impairments>(inLane('/impairments?all=true', lane), { method: 'DELETE' });
}

/** Begins draws, limits and retry advice of a service anew; of all without one. */
export function resetImpairments(lane: string, service?: string) {
  const query = service ? `?${new URLSearchParams({ service })}` : '';
  return send<void>(inLane(`/impairments/reset${query}`, lane), { method: 'POST' });
}

/** The one switch: all off, or those that are kept on again. */
export function switchImpairments(off: boolean) {
  return send<Impairments>('/impairments', { method: 'PATCH', body: JSON.stringify({ off }) });
}
