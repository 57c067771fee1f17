import { queryOptions } from '@tanstack/react-query';
import { part, send } from '@/api/http';
import { keys } from '@/api/keys';
import type {
  DriftReport,
  MeasuredLatencies,
  RecordedCall,
  Recording,
  RecordingReport,
  RecordingTrial,
  ReplayRequest,
} from '@/api/types';

const of = (service: string) => `/services/${part(service)}/recordings`;

export function recordingList(service: string) {
  return queryOptions({
    queryKey: keys.recordings(service),
    queryFn: () => send<{ items: Recording[] }>(of(service)),
    // what is captured shows within a second
    refetchInterval: ({ state }) => (state.data?.items.some((r) => r.running) ? 700 : 5_000),
  });
}

export function recordedCalls(service: string, id: string) {
  return queryOptions({
    queryKey: keys.recordedCalls(service, id),
    queryFn: () => send<{ items: RecordedCall[] }>(`${of(service)}/${part(id)}/calls`),
  });
}

/** The last calls of a recording that runs. */
export function latestCalls(service: string, id: string, last: number) {
  return queryOptions({
    queryKey: keys.latestCalls(service, id),
    queryFn: () => send<{ items: RecordedCall[] }>(`${of(service)}/${part(id)}/calls?last=${last}`),
    refetchInterval: 700,
  });
}

/** What becomes of mappings that ask for the same; "" decides by who made them. */
export type Existing = '' | 'keep' | 'replace' | 'follow';

/** How mappings are made of recorded calls. */
export interface Making {
  existing?: Exclude<Existing, ''>;
  fold?: boolean;
  pace?: string;
}

/** Which calls a recording captures; empty lists do not restrict it. */
export interface RecordingFilter {
  include: string[];
  exclude: string[];
  mediaTypes: string[];
  hosts: string[];
}

export function recordingTrial(service: string, filter: RecordingFilter) {
  return queryOptions({
    queryKey: keys.recordingTrial(service, filter),
    queryFn: () =>
      send<RecordingTrial>(`/services/${part(service)}/recording-trials`, {
        method: 'POST',
        asks: true,
        body: JSON.stringify(filter),
      }),
    placeholderData: (before) => before,
  });
}

export function startRecording(service: string, start: { name: string; end?: Making } & RecordingFilter) {
  return send<Recording>(of(service), { method: 'POST', body: JSON.stringify(start) });
}

export function stopRecording(service: string, id: string, how: Making & { onlyKeep: boolean }) {
  return send<RecordingReport>(`${of(service)}/${part(id)}/stop`, {
    method: 'POST',
    body: JSON.stringify(how),
  });
}

export function makeMappings(service: string, id: string, dryRun: boolean, calls: string[], how: Making) {
  return send<RecordingReport>(`${of(service)}/${part(id)}/mappings`, {
    method: 'POST',
    asks: dryRun,
    body: JSON.stringify({ dryRun, calls, ...how }),
  });
}

/** How long operations took at the upstream while it ran. */
export function latencies(service: string, id: string) {
  return queryOptions({
    queryKey: keys.recordedLatencies(service, id),
    queryFn: () => send<MeasuredLatencies>(`${of(service)}/${part(id)}/latencies`),
  });
}

export function replayRecording(service: string, id: string, how: ReplayRequest) {
  return send<DriftReport>(`${of(service)}/${part(id)}/replays`, {
    method: 'POST',
    body: JSON.stringify(how),
  });
}

export function compareRecordings(
  service: string,
  id: string,
  other: string,
  how: { values: boolean; ignore: string[] },
) {
  const query = new URLSearchParams(how.ignore.map((path) => ['ignore', path]));
  if (how.values) query.set('values', 'true');
  return send<DriftReport>(`${of(service)}/${part(id)}/comparisons/${part(other)}?${query}`);
}

export function removeRecording(service: string, id: string) {
  return send<void>(`${of(service)}/${part(id)}`, { method: 'DELETE' });
}

export function harAddress(service: string, id: string): string {
  return `${of(service)}/${part(id)}/har`;
}
