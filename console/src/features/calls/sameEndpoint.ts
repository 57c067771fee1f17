import type { Call } from '@/api/types';

/** Whether two calls ask the same of a service, for one operation or by one method and path, or were made by it for the same. */
export function sameEndpoint(a: Call, b: Call): boolean {
  if (a.service !== b.service) return false;
  if (a.source === 'callback' || b.source === 'callback') return a.source === b.source && a.by === b.by;
  if (a.operation && b.operation) return a.operation === b.operation; // a mapping may have answered one of them
  return a.method === b.method && a.path === b.path;
}
