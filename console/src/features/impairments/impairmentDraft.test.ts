import { expect, test } from 'vitest';
import {
  beginnings,
  commandOf,
  type Fields,
  fieldsOf,
  isEmpty,
  othersOf,
  textOf,
  withField,
  withFields,
} from './impairmentDraft';

const none: Fields = {
  latency: '',
  errors: '',
  status: '',
  retryAfter: '',
  limit: '',
  inFlight: '',
  of: '',
  effect: '',
  effectRate: '',
  line: '',
  outage: '',
  outageFor: '',
  outageEvery: '',
  seed: '',
};

test.each<[Partial<Fields>, string]>([
  [{ latency: '200ms..900ms' }, 'latency: 200ms..900ms\n'],
  [{ latency: 'p50=80ms,p99=1s' }, 'latency:\n  p50: 80ms\n  p99: 1s\n'],
  [
    { errors: '30%', status: '503, 429', retryAfter: '5s' },
    'errors:\n  rate: 30%\n  status:\n    - 503\n    - 429\n  retryAfter: 5s\n',
  ],
  [{ errors: '30%', status: '429=1, 503=3' }, 'errors:\n  rate: 30%\n  status:\n    429: 1\n    503: 3\n'],
  [{ errors: 'next 3', status: '503' }, 'errors:\n  next: 3\n  status:\n    - 503\n'],
  [{ errors: 'every 5' }, 'errors:\n  every: 5\n'],
  [{ errors: 'first 2' }, 'errors:\n  first: 2\n'],
  [{ inFlight: '5' }, 'limit:\n  inFlight: 5\n'],
  [{ effect: 'drop', effectRate: '5%' }, 'connection:\n  effect: drop\n  rate: 5%\n'],
  [{ limit: '60/1m', of: 'caller' }, 'limit:\n  calls: 60\n  per: 1m\n  of: caller\n'],
  [{ effect: 'drop' }, 'connection:\n  effect: drop\n'],
  [{ line: 'harbour-radio' }, 'connection:\n  line: harbour-radio\n'],
  [
    { outage: '503', outageFor: '20s', outageEvery: '2m', seed: '7' },
    'outage:\n  as: 503\n  for: 20s\n  every: 2m\nseed: 7\n',
  ],
])('%j is written as %j, read back, and taken out again', (given, text) => {
  expect(withFields('', given)).toBe(text);
  expect(fieldsOf(text)).toEqual({ ...none, ...given });
  expect(othersOf(text)).toEqual([]);
  const emptied = Object.keys(given).reduce((next, key) => withField(next, key as keyof Fields, ''), text);
  expect(isEmpty(emptied)).toBe(true);
});

test('what the service writes shorter is read, too', () => {
  const text = textOf({ connection: 'reset', errors: { rate: '5%', status: { 503: 3, 500: 1 } } });
  expect(fieldsOf(text)).toMatchObject({ effect: 'reset', status: '500=1, 503=3' });
  expect(othersOf(text)).toEqual([]);
  expect(fieldsOf(withField(text, 'line', 'old-tug'))).toMatchObject({ effect: 'reset', line: 'old-tug' });
});

test.each([
  ['errors: { next: 3, status: 503, of: caller } # until four', 'errors', '50%', 'of: caller', ['errors of']],
  ['limit: { inFlight: 5 }', 'limit', '60/1m', 'inFlight: 5', []],
  ['connection: { effect: drop, rate: 5% }', 'line', 'old-tug', 'rate: 5%', []],
  ['latency: 1s # as measured', 'latency', '2s', '# as measured', []],
])('of %s the form changes what it shows and keeps the rest', (text, field, typed, kept, others) => {
  const changed = withField(text, field as keyof Fields, typed);
  expect(changed).toContain(kept);
  expect(fieldsOf(changed)?.[field as keyof Fields]).toBe(typed);
  expect(othersOf(changed)).toEqual(others);
});

test.each([
  ['', true],
  ['seed: 7', true],
  ['# nothing yet', true],
  ['latency: 1s', false],
  ['latency: [', false], // the service says what is wrong
])('%j is empty: %s', (text, empty) => {
  expect(isEmpty(text)).toBe(empty);
});

test.each(['- 1', 'errors: 5', 'outage: drop'])('a form cannot show %s', (text) => {
  expect(fieldsOf(text)).toBeUndefined();
});

test('the command does the same', () => {
  const failing = withFields('', { errors: '30%', status: '503, 500' });
  expect(commandOf('moorings', 'getBerth', failing)).toBe(
    'rapidmimic impair set moorings --operation getBerth --error-rate 30% --error-status 503,500',
  );
  expect(commandOf('moorings', '', 'errors: { next: 3 }\nlimit: { inFlight: 2 }', 'mara')).toBe(
    'rapidmimic impair set moorings --error-next 3 --in-flight 2 --lane mara',
  );
  expect(commandOf('moorings', '', 'errors: { next: 3, of: caller }', 'mara')).toBe(
    'rapidmimic impair set moorings --file impairment.yaml --lane mara',
  );
  for (const { fields } of beginnings) expect(isEmpty(withFields('', fields))).toBe(false);
});
