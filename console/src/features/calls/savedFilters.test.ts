import { expect, it } from 'vitest';
import { readFilters, withFilter } from './savedFilters';

it('keeps filters by their names', () => {
  const slow = { name: 'slow', text: 'took:>1s' };
  const list = withFilter(withFilter([], slow), { name: 'bad', text: 'status:5xx' });
  expect(list.map(({ name }) => name)).toEqual(['bad', 'slow']);
  expect(withFilter(list, { name: 'slow', text: 'took:>2s' })[1]).toEqual({ name: 'slow', text: 'took:>2s' });
  expect(readFilters(JSON.stringify(list))).toEqual(list);
});

it.each(['', 'nonsense', '{}', '[3, {"name": "a"}, null]'])('reads nothing from %j', (json) =>
  expect(readFilters(json)).toEqual([]),
);
