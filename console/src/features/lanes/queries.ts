import { queryOptions } from '@tanstack/react-query';
import { part, readKept, send } from '@/api/http';
import { keys } from '@/api/keys';
import type { Lane, LaneDocument, ServiceChanges } from '@/api/types';

export function laneList() {
  return queryOptions({
    queryKey: keys.lanes(),
    queryFn: () => send<{ items: Lane[] }>('/lanes'),
    refetchInterval: 2_000,
  });
}

export function laneText(name: string) {
  return queryOptions({
    queryKey: keys.laneText(name),
    queryFn: () => readKept(`/lanes/${part(name)}`),
    staleTime: 0,
    gcTime: 0, // who opens it anew must not begin with what it was
  });
}

export function openLane(lane: LaneDocument) {
  return send<Lane>('/lanes', { method: 'POST', body: JSON.stringify(lane) });
}

/** Replaces what the version of a lane says that has this tag. */
export function putLane(name: string, document: string, etag: string) {
  return send<Lane>(`/lanes/${part(name)}`, { method: 'PUT', body: document, ifMatch: etag });
}

export function closeLane(name: string) {
  return send<Lane>(`/lanes/${part(name)}`, { method: 'DELETE' });
}

/** Changes a part of what a lane says; null takes a key out of it. */
function patchLane(name: string, patch: object) {
  return send<Lane>(`/lanes/${part(name)}`, { method: 'PATCH', body: JSON.stringify(patch) });
}

/** Keeps a lane open for so many seconds, counted from when it was opened. */
export function extendLane(name: string, seconds: number) {
  return patchLane(name, { ttl: `${seconds}s` });
}

export interface ServicePatch {
  mode?: ServiceChanges['mode'] | null;
  examples?: Record<string, string | null>;
}

/** Changes what is different in a service for a lane. */
export function patchInLane(lane: string, service: string, patch: ServicePatch) {
  return patchLane(lane, { services: { [service]: patch } });
}
