import { queryOptions } from '@tanstack/react-query';
import { part, send } from '@/api/http';
import type { Mapping } from '@/api/types';

const shown = 1_000;

export function mappingList(service: string) {
  return queryOptions({
    queryKey: ['services', service, 'mappings'],
    queryFn: () =>
      send<{ items: Mapping[]; next?: string }>(`/services/${part(service)}/mappings?limit=${shown}`, {
        exact: true,
      }),
    refetchInterval: 5_000,
  });
}

export function mappingById(service: string, id: string) {
  return queryOptions({
    queryKey: ['services', service, 'mappings', id],
    queryFn: () => send<Mapping>(`/services/${part(service)}/mappings/${part(id)}`, { exact: true }),
  });
}

/** Saves a document; etag is the version it was written on, "" for a new one. */
export function putMapping(service: string, id: string, document: string, etag: string) {
  return send<Mapping>(`/services/${part(service)}/mappings/${part(id)}`, {
    method: 'PUT',
    body: document,
    ifMatch: etag,
  });
}

export function removeMapping(service: string, id: string) {
  return send<void>(`/services/${part(service)}/mappings/${part(id)}`, { method: 'DELETE' });
}
