import { queryOptions } from '@tanstack/react-query';
import { keys } from '@/api/keys';
import { part, send } from './http';
import { inLane } from './myLane';
import type { Mapping } from './types';

const shown = 1_000;

/**
 * The mappings of a service as the calls of a lane find them: what answers first comes first.
 * With '' they are those of everybody, as they are defined.
 */
export function mappingList(service: string, lane: string) {
  return queryOptions({
    queryKey: keys.mappings(service, lane),
    queryFn: () =>
      send<{ items: Mapping[]; next?: string }>(
        inLane(`/services/${part(service)}/mappings?limit=${shown}`, lane),
        { exact: true },
      ),
    refetchInterval: 5_000,
  });
}
