import { queryOptions } from '@tanstack/react-query';
import { keys } from '@/api/keys';
import { part, send } from './http';
import { inLane } from './myLane';
import type { Operation, OperationDetail } from './types';

/**
 * What the contract of a service lets a caller do, for every feature; with a lane as its calls find
 * it.
 */
export function operationList(service: string, lane = '') {
  return queryOptions({
    queryKey: keys.operationsIn(service, lane),
    queryFn: () => send<{ items: Operation[] }>(inLane(`/services/${part(service)}/operations`, lane)),
  });
}

/** All that is known of one operation, with a sample of its answer. */
export function operationDetail(service: string, operation: string) {
  return queryOptions({
    queryKey: keys.operation(service, operation),
    queryFn: () => send<OperationDetail>(`/services/${part(service)}/operations/${part(operation)}`),
  });
}
