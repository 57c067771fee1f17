import { queryOptions } from '@tanstack/react-query';
import { part, send } from '@/api/http';
import type { ImpairmentDocument, ImpairmentItem, Impairments, Line, Target, Timings } from '@/api/types';

export function impairmentList() {
  return queryOptions({
    queryKey: ['impairments'],
    queryFn: () => send<Impairments>('/impairments'),
    refetchInterval: 2_000,
  });
}

export function lineList() {
  return queryOptions({ queryKey: ['lines'], queryFn: () => send<{ items: Line[] }>('/lines') });
}

export function timingsOf(service: string) {
  return queryOptions({
    queryKey: ['services', service, 'timings'],
    queryFn: () => send<Timings>(`/services/${part(service)}/timings`),
    refetchInterval: 2_000,
  });
}

function addressOf({ service, operation, mapping }: Target): string {
  if (!service) return '/impairment';
  const query = new URLSearchParams();
  if (operation) query.set('operation', operation);
  if (mapping) query.set('mapping', mapping);
  return `/services/${part(service)}/impairment?${query}`;
}

export function setImpairment(target: Target, document: ImpairmentDocument) {
  return send<ImpairmentItem>(addressOf(target), { method: 'PUT', body: JSON.stringify(document) });
}

export function removeImpairment(target: Target) {
  return send<Impairments>(addressOf(target), { method: 'DELETE' });
}

/** Begins draws, limits and retry advice of a service anew; of all without one. */
export function resetImpairments(service?: string) {
  const query = service ? `?${new URLSearchParams({ service })}` : '';
  return send<void>(`/impairments/reset${query}`, { method: 'POST' });
}

/** The one switch: all off, or those that are kept on again. */
export function switchImpairments(off: boolean) {
  return send<Impairments>('/impairments', { method: 'PATCH', body: JSON.stringify({ off }) });
}
