import { queryOptions } from '@tanstack/react-query';
import { part, send } from '@/api/http';
import type { Lane, LaneDocument } from '@/api/types';

export function laneList() {
  return queryOptions({
    queryKey: ['lanes'],
    queryFn: () => send<{ items: Lane[] }>('/lanes'),
    refetchInterval: 2_000,
  });
}

export function openLane(lane: LaneDocument) {
  return send<Lane>('/lanes', { method: 'POST', body: JSON.stringify(lane) });
}

export function closeLane(name: string) {
  return send<Lane>(`/lanes/${part(name)}`, { method: 'DELETE' });
}

/** Keeps a lane open for so many seconds, counted from when it was opened. */
export function extendLane(name: string, seconds: number) {
  return send<Lane>(`/lanes/${part(name)}`, {
    method: 'PATCH',
    body: JSON.stringify({ ttl: `${seconds}s` }),
  });
}
