import { expect, test } from 'vitest';
import { pathProposal, queryConditions } from './callProposal';

test.each([
  ['/berths', ''],
  ['/berths/N7/bookings', '/berths/{berth}/bookings'],
  ['/bookings/B-2041', '/bookings/{booking}'],
  ['/parties/12/34', '/parties/{party}/{id}'],
  ['/7/8', '/{id}/{id2}'],
  ['/vessels/3f2504e0-4f89-11d3-9a0c-0305e82c3301', '/vessels/{vessel}'],
  ['/berths/{number}', ''],
  ['/v2/dues', ''],
  ['/', ''],
])('%s becomes %j', (path, want) => {
  expect(pathProposal(path)).toBe(want);
});

test.each([
  ['', ''],
  ['_=17&utm_source=x', ''],
  ['free=true&pier=north&ts=1', '[{"query":"free","equals":"true"},\n {"query":"pier","equals":"north"}]'],
  ['a=%22b%22', '[{"query":"a","equals":"\\"b\\""}]'],
])('%j asks %j', (query, want) => {
  expect(queryConditions(query)).toBe(want);
});
