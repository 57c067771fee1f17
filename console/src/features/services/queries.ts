import { queryOptions } from '@tanstack/react-query';
import { part, send } from '@/api/http';
import type { ImportReport, Operation, Service } from '@/api/types';

const every = 2_000;

export function serviceList() {
  return queryOptions({
    queryKey: ['services'],
    queryFn: () => send<{ items: Service[] }>('/services?limit=1000'),
    refetchInterval: every,
  });
}

export function serviceByName(name: string) {
  return queryOptions({
    queryKey: ['services', name],
    queryFn: () => send<Service>(`/services/${part(name)}`),
    refetchInterval: every,
  });
}

export function operationList(service: string) {
  return queryOptions({
    queryKey: ['services', service, 'operations'],
    queryFn: () => send<{ items: Operation[] }>(`/services/${part(service)}/operations`),
  });
}

export function importContract(file: File, into?: string) {
  const query = new URLSearchParams({ file: file.name, ...(into ? { into } : {}) });
  return send<ImportReport>(`/imports?${query}`, { method: 'POST', body: file });
}

export function createService(name: string) {
  return send<Service>('/services', { method: 'POST', body: JSON.stringify({ name }) });
}

export function patchService(service: Service, change: Record<string, unknown>) {
  return send<Service>(`/services/${part(service.name)}`, {
    method: 'PATCH',
    body: JSON.stringify(change),
    ifMatch: service.etag,
  });
}

export function removeService(name: string) {
  return send<void>(`/services/${part(name)}`, { method: 'DELETE' });
}
