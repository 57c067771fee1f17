import { noLane } from '@/api/myLane';
import type { Call } from '@/api/types';

/**
 * The address at which the answer of a call is changed: its mapping, else a new
 * one that starts from what the call got.
 */
export function mappingLink(call: Call): string {
  const base = `/services/${encodeURIComponent(call.service)}/mappings`;
  if (call.source === 'mapping' && call.by) {
    const view = call.lane || (call.scenario && noLane); // a mapping of either may have answered
    return `${base}/${encodeURIComponent(call.by)}${view ? `?${new URLSearchParams({ lane: view })}` : ''}`;
  }
  return `${base}?${new URLSearchParams({ from: call.id })}`;
}
