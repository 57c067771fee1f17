import { queryOptions } from '@tanstack/react-query';
import { part, readDocument, send } from '@/api/http';
import { inLane } from '@/api/myLane';
import type { ActiveScenario, Scenario, ScenarioProposal } from '@/api/types';

export function scenarioList() {
  return queryOptions({
    queryKey: ['scenarios'],
    queryFn: () => send<{ items: Scenario[] }>('/scenarios'),
    refetchInterval: 2_000,
  });
}

export function scenarioText(name: string) {
  return queryOptions({
    queryKey: ['scenario', name],
    queryFn: () => readDocument(`/scenarios/${part(name)}`),
    staleTime: 0,
  });
}

/** Puts the scenarios of a document, all or none. */
export function putScenarios(document: string) {
  return send<{ items: Scenario[] }>('/scenarios', { method: 'POST', body: document });
}

export function removeScenario(name: string) {
  return send<void>(`/scenarios/${part(name)}`, { method: 'DELETE' });
}

/** Switches a scenario on, in a lane or with '' for calls in none; lasts is '' or a time such as 10m. */
export function switchScenario(scenario: string, lane: string, lasts = '') {
  return send<ActiveScenario>(inLane('/scenario', lane), {
    method: 'PUT',
    body: JSON.stringify(lasts ? { scenario, for: lasts } : { scenario }),
  });
}

export function leaveScenario(lane: string) {
  return send<ActiveScenario>(inLane('/scenario', lane), { method: 'DELETE' });
}

export function resetScenario(lane: string) {
  return send<void>(inLane('/scenario/reset', lane), { method: 'POST' });
}

/** Proposes a scenario of what is on, or of calls; keeps nothing. */
export function draftScenario(name: string, lane: string, calls?: string[]) {
  return send<ScenarioProposal>('/scenario/draft', {
    method: 'POST',
    body: JSON.stringify({ name, ...(lane ? { lane } : {}), ...(calls ? { calls } : {}) }),
  });
}
