import { queryOptions } from '@tanstack/react-query';
import { part, send } from './http';
import type { Operation } from './types';

/** What the contract of a service lets a caller do, for every feature. */
export function operationList(service: string) {
  return queryOptions({
    queryKey: ['services', service, 'operations'],
    queryFn: () => send<{ items: Operation[] }>(`/services/${part(service)}/operations`),
  });
}
