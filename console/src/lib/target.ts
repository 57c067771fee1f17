import type { Call } from '@/api/types';

/** What was called, as lists show it: below the service, or where a callback went. */
export function targetOf({ source, service, host, path, query }: Call): string {
  const base = source === 'callback' ? host : service && `/${service}`;
  return `${base}${path}${query ? `?${query}` : ''}`;
}
