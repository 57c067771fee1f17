import { queryOptions } from '@tanstack/react-query';
import { notThere, part, readKept, send } from '@/api/http';
import { keys } from '@/api/keys';
import { inLane } from '@/api/myLane';
import type { ActiveScenario, Scenario, ScenarioProposal } from '@/api/types';

export function scenarioList() {
  return queryOptions({
    queryKey: keys.scenarios(),
    queryFn: () => send<{ items: Scenario[] }>('/scenarios'),
    refetchInterval: 2_000,
  });
}

export function scenarioText(name: string) {
  return queryOptions({
    queryKey: keys.scenarioText(name),
    queryFn: () => readKept(`/scenarios/${part(name)}`),
    staleTime: 0,
    gcTime: 0, // who opens it anew must not begin with what it was
  });
}

/** Makes the scenarios of a document, all or none; none of them may be there yet. */
export function makeScenarios(document: string) {
  return send<{ items: Scenario[] }>('/scenarios', { method: 'POST', body: document, ifMatch: notThere });
}

/** Replaces the version of a scenario that has this tag. */
export function putScenario(name: string, document: string, etag: string) {
  return send<Scenario>(`/scenarios/${part(name)}`, { method: 'PUT', body: document, ifMatch: etag });
}

export function removeScenario(name: string) {
  return send<void>(`/scenarios/${part(name)}`, { method: 'DELETE' });
}

/** Switches a scenario on, in a lane or with '' for calls in none; lasts is '' or a time such as 10m. */
export function switchScenario(scenario: string, lane: string, lasts = '') {
  return send<ActiveScenario>(inLane('/activations', lane), {
    method: 'PUT',
    body: JSON.stringify(lasts ? { scenario, for: lasts } : { scenario }),
  });
}

export function leaveScenario(lane: string) {
  return send<ActiveScenario>(inLane('/activations', lane), { method: 'DELETE' });
}

export function resetScenario(lane: string) {
  return send<void>(inLane('/activations/reset', lane), { method: 'POST' });
}

/** Proposes a scenario of what is on, or of calls; keeps nothing. */
export function draftScenario(name: string, lane: string, calls?: string[]) {
  return send<ScenarioProposal>('/scenario-drafts', {
    method: 'POST',
    asks: true,
    body: JSON.stringify({ name, ...(lane ? { lane } : {}), ...(calls ? { calls } : {}) }),
  });
}
