import { expect, it } from 'vitest';
import { fieldPaths } from './fieldPaths';

it('offers each field once, before what is in it', () => {
  expect(
    fieldPaths({ total: 2, berths: [{ number: 'N7', tags: [] }, { number: 'N9' }], 'a b': { "it's": 1 } }),
  ).toEqual([
    '$',
    '$.total',
    '$.berths',
    '$.berths[*]',
    '$.berths[*].number',
    '$.berths[*].tags',
    "$['a b']",
    `$['a b']['it\\'s']`,
  ]);
  expect(fieldPaths([])).toEqual(['$']);
  expect(fieldPaths('quay')).toEqual(['$']);
  expect(fieldPaths(Object.fromEntries(Array.from({ length: 500 }, (_, i) => [`f${i}`, i])))).toHaveLength(
    200,
  );
});
