import { expect, it } from 'vitest';
import { placeOf, subjectOf } from './Others';

it.each([
  ['/', 'the services'],
  ['/services/moorings', 'service moorings'],
  ['/services/a%2Fb/mappings/berth-closed', 'mapping berth-closed of a/b'],
  ['/services/moorings/mappings', 'a new mapping of moorings'],
  ['/services/moorings/docs/bookBerth', 'the documentation of moorings'],
  ['/calls', 'the page calls'],
])('%s is %s', (at, words) => {
  expect(placeOf({ at })).toBe(words);
});

it.each([
  ['/', 'services'],
  ['/services/moorings', 'moorings'],
  ['/services/a%2Fb/mappings/berth-closed', 'berth-closed'],
  ['/services/moorings/mappings', 'a new mapping'],
  ['/scenarios', 'scenarios'],
])('who types in %s edits %s', (at, words) => {
  expect(subjectOf({ at })).toBe(words);
});
