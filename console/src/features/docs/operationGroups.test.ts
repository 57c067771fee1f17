import { expect, test } from 'vitest';
import type { Operation } from '@/api/types';
import { groupOperations } from './operationGroups';

const operation = (id: string, ...tags: string[]): Operation => ({
  id,
  method: 'GET',
  path: `/${id}`,
  tags,
  protocol: 'http',
});

test('operations stand under their first tag, those without one last', () => {
  const groups = groupOperations([
    operation('a', 'berths'),
    operation('b'),
    operation('c', 'dues', 'berths'),
    operation('d', 'berths'),
  ]);
  expect(groups.map((group) => [group.tag, group.operations.map((member) => member.id).join()])).toEqual([
    ['berths', 'a,d'],
    ['dues', 'c'],
    ['', 'b'],
  ]);
});
