import { useQuery } from '@tanstack/react-query';
import { useMyLane } from '@/api/myLane';
import type { ServiceChanges } from '@/api/types';
import { laneList } from './queries';

/** My lane, '' for none, and what is different in a service for it. */
export function useLaneChanges(service: string): { lane: string; changes?: ServiceChanges } {
  const lane = useMyLane();
  const { data } = useQuery({ ...laneList(), enabled: lane !== '' });
  const open = data?.items.find(({ name }) => name === lane);
  return { lane, changes: open?.services?.[service] };
}
