import { expect, it } from 'vitest';
import type { Call } from '@/api/types';
import { groupMisses } from './missing';

it('groups the misses of one service by method and path', () => {
  const call = (id: string, change: Partial<Call>): Call => ({
    id,
    at: '2026-12-01T09:14:02Z',
    service: 'moorings',
    method: 'GET',
    path: '/bertsh/N7',
    status: 404,
    source: 'miss',
    tookMs: 0.1,
    ...change,
  });
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
