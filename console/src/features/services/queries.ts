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

/** Where a contract comes from: a file, a text, an address, or an earlier revision of it. */
export interface ContractSource {
  file?: File;
  text?: string;
  from?: string;
  revision?: number;
}

export interface ContractImport extends ContractSource {
  /** The service that gets a new revision; none makes a new service. */
  into?: string;
  /** Of the new service; '' for what the contract says. */
  name?: string;
  /** The call that a sample or a schema answers; '' for a contract. */
  answers?: string;
}

/** Imports a contract; a dry run only tells what would change. */
export function importContract({ file, text, ...wanted }: ContractImport, dryRun = false) {
  const query = new URLSearchParams(dryRun ? { dryRun: 'true' } : {});
  for (const [key, value] of Object.entries({ file: file?.name, ...wanted })) {
    if (value) query.set(key, String(value));
  }
  return send<ImportReport>(`/imports?${query}`, { method: 'POST', body: file ?? text, asks: dryRun });
}

/** What an import would make. */
export function importPreview(wanted: ContractImport) {
  const { file, ...others } = wanted;
  return queryOptions({
    queryKey: keys.imports({ ...others, file: file && [file.name, file.size, file.lastModified] }),
    queryFn: () => importContract(wanted, true),
    staleTime: 0,
    retry: false,
    refetchOnWindowFocus: false,
  });
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

/** Makes a service; upstream is the base URL of the real one, '' for none. */
export function createService(name: string, upstream = '') {
  return send<Service>('/services', {
    method: 'POST',
    body: JSON.stringify({ name, upstream: upstream || undefined }),
  });
}

export function removeService(name: string) {
  return send<void>(`/services/${part(name)}`, { method: 'DELETE' });
}
