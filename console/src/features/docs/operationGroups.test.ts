import { expect, test } from 'vitest';
import type { Operation } from '@/api/types';
import { groupOperations } from './operationGroups';

const operation = (id: string, ...group: string[]): Operation => ({
  id,
  method: 'GET',
  path: `/${id}`,
  group: group.length > 0 ? group : undefined,
  protocol: 'http',
});

test('operations stand under their groups, those without one last', () => {
  const groups = groupOperations([
    operation('a', 'Harbour', 'Berths'),
    operation('b'),
    operation('c', 'Harbour'),
    operation('d', 'Harbour', 'Berths'),
  ]);
  expect(
    groups.map(({ group, operations }) => [group.join('/'), operations.map((one) => one.id).join()]),
  ).toEqual([
    ['Harbour/Berths', 'a,d'],
    ['Harbour', 'c'],
    ['', 'b'],
  ]);
});
