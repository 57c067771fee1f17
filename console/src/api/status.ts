import { queryOptions, useQuery } from '@tanstack/react-query';
import { keys } from '@/api/keys';
import { Problem, send } from './http';
import { inLane, useMyLane } from './myLane';
import type { Status } from './types';

const everySecond = 1_000;

export interface StatusHere extends Status {
  /** My lane is not open any more: what is told is of calls in no lane. */
  laneClosed?: boolean;
}

export function statusQuery(lane: string) {
  return queryOptions({
    queryKey: keys.statusIn(lane),
    queryFn: async (): Promise<StatusHere> => {
      try {
        return await send<Status>(inLane('/status', lane));
      } catch (error) {
        if (!lane || !(error instanceof Problem) || error.code !== 'not-found') throw error;
        return { ...(await send<Status>('/status')), laneClosed: true };
      }
    },
    refetchInterval: everySecond,
  });
}

/** The state of the environment, as it is now for my lane, or for calls in none. */
export function useStatus() {
  return useQuery(statusQuery(useMyLane()));
}
