import { expect, it } from 'vitest';
import type { Call } from '@/api/types';
import { mappingKey, operationKey, pulseMinutes, pulsesOf } from './pulses';

const now = Date.parse('2026-12-01T09:30:00Z');

function call(secondsAgo: number, change: Partial<Call>): Call {
  return {
    id: 'c-1',
    at: new Date(now - secondsAgo * 1000).toISOString(),
    service: 'moorings',
    method: 'GET',
    path: '/berths',
    status: 200,
    source: 'contract',
    tookMs: 0.1,
    host: 'localhost',
    operation: 'listBerths',
    ...change,
  };
}

it('counts calls by minute, for the operation and for the mapping that answered', () => {
  const calls = [
    call(-2, {}), // a clock that is ahead
    call(10, { source: 'mapping', by: 'full', lane: 'mara' }),
    call(20, { service: 'tides' }),
    call(30, { source: 'callback' }),
    call(61, { by: 'listBerths' }),
    call(15 * 60 - 1, {}),
    call(15 * 60, {}),
    call(70, {}), // beyond a call that is too old nobody looks
  ];
  const minutes = (...counts: [ago: number, n: number][]) => {
    const all = Array(pulseMinutes).fill(0);
    for (const [ago, n] of counts) all[pulseMinutes - 1 - ago] = n;
    return all;
  };
  const all = pulsesOf(calls, 'moorings', '', now);
  expect([...all]).toEqual([
    [operationKey('listBerths'), minutes([0, 2], [1, 1], [14, 1])],
    [mappingKey('full'), minutes([0, 1])],
  ]);
  const mine = pulsesOf(calls, 'moorings', 'mara', now);
  expect(mine.get(operationKey('listBerths'))).toEqual(minutes([0, 1]));
});
