import type { Call } from '@/api/types';

/**
 * The address at which the answer of a call is changed: its mapping, else a new
 * one that starts from what the call got.
 */
export function mappingLink(call: Call): string {
  const base = `/services/${encodeURIComponent(call.service)}/mappings`;
  if (call.source === 'mapping' && call.by) return `${base}/${encodeURIComponent(call.by)}`;
  return `${base}?${new URLSearchParams({ from: call.id })}`;
}
