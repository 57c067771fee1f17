import { useQuery } from '@tanstack/react-query';
import { useMyLane } from '@/api/myLane';
import { useStatus } from '@/api/status';
import type { ServiceChanges } from '@/api/types';
import { laneList } from './queries';

/** The address of a service in my lane, or that of everybody. */
export function useAddress(address: string): string {
  const lane = useMyLane();
  const { data } = useStatus();
  if (!lane || !data || !address.startsWith(data.traffic)) return address;
  return `${data.traffic}/@${lane}${address.slice(data.traffic.length)}`;
}

/** My lane, '' for none, and what is different in a service for it. */
export function useLaneChanges(service: string): { lane: string; changes?: ServiceChanges } {
  const lane = useMyLane();
  const { data } = useQuery({ ...laneList(), enabled: lane !== '' });
  const open = data?.items.find(({ name }) => name === lane);
  return { lane, changes: open?.services?.[service] };
}
