import { expect, test } from 'vitest';
import type { Call } from '@/api/types';
import { flowOf } from './callFlow';

const call = (id: string, ms: number, change: Partial<Call>): Call => ({
  id,
  at: new Date(1_796_000_000_000 + ms).toISOString(),
  service: 'moorings',
  method: 'GET',
  path: '/berths',
  status: 200,
  source: 'contract',
  tookMs: 1,
  host: '127.0.0.1:7401',
  ...change,
});

test('calls are drawn in the order in which they came, between those who took part', () => {
  const flow = flowOf([
    call('c-12', 2_500, { source: 'callback', host: 'office.example', cause: 'c-a' }),
    call('c-b', 40, { service: 'tides', agent: 'quay-board/2.1 (night)' }),
    call('c-a', 40, { agent: 'tides/2.0' }),
    call('c-9', 0, { service: '', host: 'gauges.example' }),
  ]);
  expect(flow.participants.map(({ name }) => name)).toEqual([
    'a caller',
    'tides',
    'quay-board',
    'gauges.example',
    'moorings',
    'tides',
    'office.example',
  ]);
  expect(new Set(flow.participants.map(({ key }) => key)).size).toBe(7);
  expect(
    flow.steps.map(({ call: { id }, from, to, afterMs, gapMs }) => [id, from, to, afterMs, gapMs]),
  ).toEqual([
    ['c-9', 0, 3, 0, 0],
    ['c-a', 1, 4, 40, 40],
    ['c-b', 2, 5, 40, 0],
    ['c-12', 4, 6, 2_500, 2_460],
  ]);
  expect(flowOf([])).toEqual({ participants: [], steps: [] });
});
