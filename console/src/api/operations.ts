import { queryOptions } from '@tanstack/react-query';
import { keys } from '@/api/keys';
import { part, send } from './http';
import { inLane } from './myLane';
import type { Operation } from './types';

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
