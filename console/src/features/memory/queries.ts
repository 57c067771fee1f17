import { queryOptions } from '@tanstack/react-query';
import { part, send } from '@/api/http';
import { keys } from '@/api/keys';
import { inLane } from '@/api/myLane';
import type { Flow, Memory, RememberedItem, RememberedValue } from '@/api/types';

const again = 2_000;

export function memoryOf(service: string, lane: string) {
  return queryOptions({
    queryKey: keys.memory(service, lane),
    queryFn: () => send<Memory>(inLane(`/services/${part(service)}/memory`, lane)),
    refetchInterval: again,
  });
}

/** How many items are shown of a collection. */
export const mostShown = 200;

export function rememberedOf(service: string, collection: string, lane: string) {
  return queryOptions({
    queryKey: keys.remembered(service, collection, lane),
    queryFn: () =>
      send<{ items: RememberedItem[]; next?: string }>(
        inLane(`/services/${part(service)}/memory/${part(collection)}?limit=${mostShown}`, lane),
      ),
    refetchInterval: again,
  });
}

export function putRemembered(
  service: string,
  collection: string,
  lane: string,
  item: { key: string; document: string; under?: Record<string, string> },
) {
  return send<RememberedItem>(at(service, collection, lane, item), { method: 'PUT', body: item.document });
}

export function removeRemembered(service: string, collection: string, lane: string, item: RememberedItem) {
  return send<void>(at(service, collection, lane, item), { method: 'DELETE' });
}

/** The address of an item, which says below what it is: others may have its key. */
function at(
  service: string,
  collection: string,
  lane: string,
  { key, under = {} }: { key: string; under?: Record<string, string> },
): string {
  const query = new URLSearchParams(
    Object.entries(under).map(([name, value]) => ['under', `${name}=${value}`]),
  );
  return inLane(`/services/${part(service)}/memory/${part(collection)}/${part(key)}?${query}`, lane);
}

export function valuesOf(service: string, lane: string) {
  return queryOptions({
    queryKey: keys.rememberedValues(service, lane),
    queryFn: () =>
      send<{ items: RememberedValue[]; next?: string }>(
        inLane(`/services/${part(service)}/memory-values?limit=${mostShown}`, lane),
      ),
    refetchInterval: again,
  });
}

export function putValue(service: string, key: string, lane: string, value: string) {
  return send<RememberedValue>(inLane(`/services/${part(service)}/memory-values/${part(key)}`, lane), {
    method: 'PUT',
    body: value,
  });
}

export function removeValue(service: string, key: string, lane: string) {
  return send<void>(inLane(`/services/${part(service)}/memory-values/${part(key)}`, lane), {
    method: 'DELETE',
  });
}

export function flowsOf(service: string, lane: string) {
  return queryOptions({
    queryKey: keys.flows(service, lane),
    queryFn: () => send<{ items: Flow[] }>(inLane(`/services/${part(service)}/flows`, lane)),
    refetchInterval: again,
  });
}

/** Sets the state of a thing of a flow by hand. */
export function moveThing(
  service: string,
  flow: string,
  lane: string,
  thing: { of?: string; state: string },
) {
  return send<Flow>(inLane(`/services/${part(service)}/flows/${part(flow)}`, lane), {
    method: 'PUT',
    body: JSON.stringify(thing),
  });
}

/** Takes all collections of a service back to their starting data. */
export function resetMemory(service: string, lane: string) {
  return send<void>(inLane(`/services/${part(service)}/memory-resets`, lane), { method: 'POST' });
}
