import { writeExact } from '@/lib/exactJson';
import { part, send } from './http';
import type { Pins } from './types';

const at = (service: string, operation: string) =>
  `/services/${part(service)}/operations/${part(operation)}/pins`;

/** The fields of what an operation answers that are fixed, numbers with their digits. */
export function readPins(service: string, operation: string) {
  return send<Pins>(at(service, operation), { exact: true });
}

/** Fixes fields instead of those that were; over a version, unless it is ''. */
export function writePins(service: string, operation: string, pins: Record<string, unknown>, version = '') {
  return send<Pins>(at(service, operation), { method: 'PUT', body: writeExact({ pins }), ifMatch: version });
}
