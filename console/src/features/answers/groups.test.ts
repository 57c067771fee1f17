import { expect, it } from 'vitest';
import type { Call, Service } from '@/api/types';
import { groupMisses, groupUndescribed } from './groups';

const call = (id: string, change: Partial<Call>): Call => ({
  id,
  at: '2026-12-01T09:14:02Z',
  service: 'moorings',
  method: 'GET',
  path: '/bertsh/N7',
  status: 404,
  source: 'miss',
  tookMs: 0.1,
  host: 'localhost',
  ...change,
});

it('groups the misses of one service by method and path', () => {
  const groups = groupMisses(
    [
      call('c-5', { method: 'PUT' }),
      call('c-4', {}),
      call('c-3', { source: 'contract' }),
      call('c-2', { service: 'tides' }),
      call('c-1', {}),
    ],
    'moorings',
  );
  expect(groups.map((g) => [g.method, g.path, g.count, g.last.id])).toEqual([
    ['GET', '/bertsh/N7', 2, 'c-4'],
    ['PUT', '/bertsh/N7', 1, 'c-5'],
  ]);
  const mine = groupMisses([call('c-8', { lane: 'mara' }), call('c-7', {})], 'moorings', 'mara');
  expect(mine.map((g) => [g.count, g.last.id])).toEqual([[1, 'c-8']]);
});

it('groups the relayed calls that no operation describes', () => {
  const calls = [
    call('c-5', { source: 'upstream' }),
    call('c-4', { source: 'upstream', operation: 'getBerth' }),
    call('c-3', {}),
    call('c-2', { source: 'upstream', service: 'tides' }),
    call('c-1', { source: 'upstream' }),
  ];
  const moorings = { name: 'moorings', contract: {} } as Service;
  expect(groupUndescribed(calls, moorings).map((g) => [g.path, g.count, g.last.id])).toEqual([
    ['/bertsh/N7', 2, 'c-5'],
  ]);
  expect(groupUndescribed(calls, { ...moorings, contract: undefined })).toEqual([]);
  const hers = call('c-6', { source: 'upstream', lane: 'mara' });
  expect(groupUndescribed([...calls, hers], moorings, 'mara').map((g) => g.last.id)).toEqual(['c-6']);
});
