import { part, send } from './http';
import type { Service } from './types';

/** Changes settings of a service, unless somebody else changed it since it was read. */
export function patchService(service: Service, change: Record<string, unknown>) {
  return send<Service>(`/services/${part(service.name)}`, {
    method: 'PATCH',
    body: JSON.stringify(change),
    ifMatch: service.etag,
  });
}
