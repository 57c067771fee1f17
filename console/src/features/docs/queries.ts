import { queryOptions } from '@tanstack/react-query';
import { part, send } from '@/api/http';
import { keys } from '@/api/keys';
import type { MeasuredLatencies, Operation, OperationDetail, Service } from '@/api/types';

/** The address of what those who call a service need to know. */
export const docsOf = (service: string) => `/services/${part(service)}/docs`;

/** What the API itself lets a caller do. */
export function referenceList() {
  return queryOptions({
    queryKey: keys.reference(),
    queryFn: () => send<{ items: Operation[] }>('/reference'),
    staleTime: Number.POSITIVE_INFINITY,
  });
}

export function referenceDetail(operation: string) {
  return queryOptions({
    queryKey: keys.referenceOf(operation),
    queryFn: () => send<OperationDetail>(`/reference/${part(operation)}`),
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** How long operations took at the upstream, in all recordings of a service. */
export function measuredLatencies(service: string) {
  return queryOptions({
    queryKey: keys.latencies(service),
    queryFn: () => send<MeasuredLatencies>(`/services/${part(service)}/latencies`),
  });
}

export function serviceDocument(service: string) {
  return queryOptions({
    queryKey: keys.service(service),
    queryFn: () => send<Service>(`/services/${part(service)}`),
  });
}
