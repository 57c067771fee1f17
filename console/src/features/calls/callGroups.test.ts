import { expect, test } from 'vitest';
import type { Call } from '@/api/types';
import { groupCalls } from './callGroups';

const call = (id: string, change: Partial<Call>): Call => ({
  id,
  at: '2026-12-01T09:14:02Z',
  service: 'moorings',
  method: 'GET',
  path: '/berths/N7',
  status: 200,
  source: 'contract',
  by: 'getBerth',
  tookMs: 1,
  host: 'localhost',
  ...change,
});

const calls = [
  call('c-5', { operation: 'getBerth', tookMs: 9 }),
  call('c-4', { operation: 'getBerth', path: '/berths/N8', status: 503, tookMs: 3, agent: 'quay board' }),
  call('c-3', { path: '/bertsh', status: 404, source: 'miss', by: 'path', lane: 'mara', trace: '4bf92f35' }),
  call('c-2', { operation: 'getBerth', deviations: 2 }),
  call('c-1', { status: 0 }),
];

test('calls are taken together, with what a filter says of them', () => {
  expect(
    groupCalls(calls, 'endpoint').map((g) => [
      g.name,
      g.calls,
      g.failed,
      g.deviating,
      g.p50Ms,
      g.p95Ms,
      g.last.id,
      g.filter,
    ]),
  ).toEqual([
    ['moorings  GET getBerth', 3, 1, 1, 3, 9, 'c-5', 'service:moorings operation:getBerth'],
    ['moorings  GET /berths/N7', 1, 1, 0, 1, 1, 'c-1', 'service:moorings method:GET path:/berths/N7'],
    ['moorings  GET /bertsh', 1, 0, 0, 1, 1, 'c-3', 'service:moorings method:GET path:/bertsh'],
  ]);
  const names = (by: Parameters<typeof groupCalls>[1]) =>
    groupCalls(calls, by).map((g) => `${g.name}: ${g.filter}`);
  expect(names('status')).toEqual([
    '200: status:200',
    '404: status:404',
    '503: status:503',
    'no answer: status:none',
  ]);
  expect(names('caller')).toEqual(['without a User-Agent: ', 'quay board: agent:"quay board"']);
  expect(names('trace')).toEqual(['in no trace: ', '4bf92f35: trace:4bf92f35']);
  expect(names('lane')).toEqual(['in no lane: ', 'lane mara: lane:mara']);
  expect(names('answer')).toEqual([
    'contract  getBerth: source:contract getBerth',
    'miss  path: source:miss path',
  ]);
});
