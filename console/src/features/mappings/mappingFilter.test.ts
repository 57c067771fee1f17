import { expect, test } from 'vitest';
import type { Mapping } from '@/api/types';
import { selectMappings } from './mappingFilter';

const mapping = (id: string, more: Partial<Mapping>): Mapping => ({
  id,
  enabled: true,
  rank: 0,
  call: { path: `/${id}` },
  etag: '"1"',
  calls: { total: 1, deviating: 0, last: '' },
  ...more,
});

const all = [
  mapping('closed', { title: 'Closed at Night', labels: ['Night', 'quay'] }),
  mapping('dues', { call: { operation: 'listDues', method: ['GET'] }, calls: undefined }),
  mapping('off', { enabled: false, calls: undefined }),
  mapping('shadowed', { problem: 'never answers' }),
];

test.each([
  ['', 'closed dues off shadowed'],
  ['night', 'closed'],
  ['label:night', 'closed'],
  ['label:nigh', ''],
  ['get DUES', 'dues'],
  ['problem:', 'dues shadowed'],
  ['problem: shad', 'shadowed'],
])('%j selects %j', (filter, want) => {
  expect(selectMappings(all, filter).map((m) => m.id)).toEqual(want.split(' ').filter(Boolean));
});
