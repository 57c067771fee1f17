import { queryOptions } from '@tanstack/react-query';
import { Problem, part, readDocument, send } from '@/api/http';
import { keys } from '@/api/keys';
import { inLane } from '@/api/myLane';
import type { Mapping, MappingVersion, Payload, Trial } from '@/api/types';

/**
 * One mapping, as the calls of a lane find it; that of everybody without one, or where the lane is
 * closed.
 */
export function mappingById(service: string, id: string, lane: string) {
  return queryOptions({
    queryKey: keys.mapping(service, id, lane),
    queryFn: async () => {
      try {
        return await send<Mapping>(inLane(mappingPath(service, id), lane), { exact: true });
      } catch (error) {
        if (!lane || !(error instanceof Problem) || error.code !== 'not-found') throw error;
        return send<Mapping>(mappingPath(service, id), { exact: true });
      }
    },
  });
}

/**
 * Keeps a document as a mapping: for everybody, or in a lane above what everybody has. etag is the
 * version that it was written on, '' for any.
 */
export function putMapping(service: string, id: string, document: string, etag: string, lane = '') {
  return send<Mapping>(inLane(`/services/${part(service)}/mappings/${part(id)}`, lane), {
    method: 'PUT',
    body: document,
    ifMatch: etag,
  });
}

/** Takes a mapping out of a lane. */
export function removeFromLane(lane: string, service: string, id: string) {
  return send<void>(inLane(`/services/${part(service)}/mappings/${part(id)}`, lane), { method: 'DELETE' });
}

export function removeMapping(service: string, id: string) {
  return send<void>(mappingPath(service, id), { method: 'DELETE' });
}

const mappingPath = (service: string, id: string) => `/services/${part(service)}/mappings/${part(id)}`;

/** A mapping as the document that people would write; of a lane, or with '' of everybody. */
export function mappingText(service: string, id: string, lane: string) {
  return queryOptions({
    queryKey: keys.mappingText(service, id, lane),
    queryFn: () => readDocument(inLane(mappingPath(service, id), lane)),
  });
}

export function mappingVersions(service: string, id: string) {
  return queryOptions({
    queryKey: keys.mappingVersions(service, id),
    queryFn: () => send<{ items: MappingVersion[] }>(`${mappingPath(service, id)}/versions`),
  });
}

export function versionText(service: string, id: string, version: number) {
  return queryOptions({
    queryKey: keys.mappingVersion(service, id, version),
    queryFn: () => readDocument(`${mappingPath(service, id)}/versions/${version}`),
    staleTime: Number.POSITIVE_INFINITY,
  });
}

export function removedMappings(service: string) {
  return queryOptions({
    queryKey: keys.removedMappings(service),
    queryFn: () => send<{ items: MappingVersion[] }>(`/services/${part(service)}/removed-mappings`),
  });
}

export function payloadList(service: string) {
  return queryOptions({
    queryKey: keys.payloads(service),
    queryFn: () => send<{ items: Payload[] }>(`/services/${part(service)}/payloads`),
  });
}

export interface TrialQuestion {
  document: string;
  replaces: string; // "" for a new mapping
  call: string; // whose answer is wanted, "" for none
  expressions?: string[]; // to be worked out
}

/** What a document would do if it were kept. */
export function trialOf(service: string, question: TrialQuestion) {
  return queryOptions({
    queryKey: keys.trial(service, question),
    queryFn: () =>
      send<Trial>(`/services/${part(service)}/trials`, {
        method: 'POST',
        asks: true,
        body: JSON.stringify({ ...question, recent: 30 }),
        exact: true,
      }),
    gcTime: 10_000,
  });
}

export function restoreMapping(service: string, id: string, version: number) {
  return send<Mapping>(`${mappingPath(service, id)}/restore`, {
    method: 'POST',
    body: JSON.stringify({ version }),
  });
}

export function resetPositions(service: string, id: string) {
  return send<void>(`${mappingPath(service, id)}/positions`, { method: 'DELETE' });
}

/** Switches many mappings on or off. */
export function editMappings(service: string, ids: string[], enabled: boolean) {
  return send<{ changed: string[] }>(`/services/${part(service)}/mappings?${selection(ids)}`, {
    method: 'PATCH',
    body: JSON.stringify({ enabled }),
  });
}

export function removeMappings(service: string, ids: string[]) {
  return send<{ changed: string[] }>(`/services/${part(service)}/mappings?${selection(ids)}`, {
    method: 'DELETE',
  });
}

const selection = (ids: string[]) => ids.map((id) => `id=${part(id)}`).join('&');
