import { queryOptions, useQuery } from '@tanstack/react-query';
import { send } from './http';
import type { Status } from './types';

const everySecond = 1_000;

export function statusQuery() {
  return queryOptions({
    queryKey: ['status'],
    queryFn: () => send<Status>('/status'),
    refetchInterval: everySecond,
  });
}

/** The state of the environment, as it is now. */
export function useStatus() {
  return useQuery(statusQuery());
}
