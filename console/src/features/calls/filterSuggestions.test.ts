import { expect, test } from 'vitest';
import type { Call } from '@/api/types';
import { suggestionsFor } from './filterSuggestions';

const call = (change: Partial<Call>): Call => ({
  id: 'c-1',
  at: '2026-12-01T09:14:02Z',
  service: 'moorings',
  method: 'GET',
  path: '/berths/N7',
  status: 200,
  source: 'contract',
  tookMs: 0.1,
  host: 'localhost',
  ...change,
});

const calls = [
  call({ path: '/dues', agent: 'quay "board" 2' }),
  call({ impaired: ['latency'] }),
  call({ status: 503 }),
];

test.each<[string, string[]]>([
  ['sta', ['status:']],
  ['miss -so', ['source:']],
  ['dev', ['deviates']],
  ['status:5', ['status:5xx', 'status:503']],
  ['source:', ['source:contract']],
  ['x path:', ['path:/berths/N7', 'path:/dues']],
  ['impaired:l', ['impaired:latency']],
  ['agent:QUAY', ['agent:"quay board 2"']],
  ['body:', []],
  ['body:"two wor', []],
  ['service:moorings', []],
])('%s can go on', (text, words) => {
  expect(suggestionsFor(text, calls).map(({ word }) => word)).toEqual(words);
});

test('a suggestion takes the place of the word that is typed', () => {
  expect(suggestionsFor('miss -status:5', calls)[0]?.text).toBe('miss -status:5xx ');
  expect(suggestionsFor('miss sta', calls)[0]?.text).toBe('miss status:');
  expect(suggestionsFor('', calls).length).toBeGreaterThan(10);
});
