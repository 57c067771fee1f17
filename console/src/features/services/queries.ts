import { queryOptions } from '@tanstack/react-query';
import { part, send } from '@/api/http';
import { keys } from '@/api/keys';
import type { Changes, ImportReport, Revision, Service } from '@/api/types';

const every = 2_000;

export function serviceList() {
  return queryOptions({
    queryKey: keys.services(),
    queryFn: () => send<{ items: Service[] }>('/services?limit=1000'),
    refetchInterval: every,
  });
}

export function serviceByName(name: string) {
  return queryOptions({
    queryKey: keys.service(name),
    queryFn: () => send<Service>(`/services/${part(name)}`),
    refetchInterval: every,
  });
}

export interface Importing {
  /** The document; none to take an earlier revision again. */
  file?: File;
  /** The service that gets a new revision; none makes a new service. */
  into?: string;
  revision?: number;
  /** Only tells what would change. */
  dryRun?: boolean;
}

export function importContract({ file, into, revision, dryRun }: Importing) {
  const query = new URLSearchParams({
    ...(file ? { file: file.name } : {}),
    ...(into ? { into } : {}),
    ...(revision ? { revision: String(revision) } : {}),
    ...(dryRun ? { dryRun: 'true' } : {}),
  });
  return send<ImportReport>(`/imports?${query}`, { method: 'POST', body: file });
}

export function revisionList(service: string) {
  return queryOptions({
    queryKey: keys.revisions(service),
    queryFn: () => send<{ items: Revision[] }>(`/services/${part(service)}/revisions`),
  });
}

export function revisionChanges(service: string, revision: number) {
  return queryOptions({
    queryKey: keys.revision(service, revision),
    queryFn: () => send<Changes>(`/services/${part(service)}/revisions/${revision}/changes`),
    staleTime: Number.POSITIVE_INFINITY,
  });
}

export function createService(name: string) {
  return send<Service>('/services', { method: 'POST', body: JSON.stringify({ name }) });
}

export function removeService(name: string) {
  return send<void>(`/services/${part(name)}`, { method: 'DELETE' });
}
