import { expect, test } from 'vitest';
import {
  beginnings,
  commandOf,
  documentOf,
  draftOf,
  noImpairment,
  othersOf,
  othersText,
  withOthers,
} from './impairmentDraft';

test.each([
  [{ latency: '200ms..900ms' }, { latency: '200ms..900ms' }],
  [{ latency: 'p50=80ms, p99=1s' }, { latency: { p50: '80ms', p99: '1s' } }],
  [
    { errors: '30%', status: '503, 429', retryAfter: '5s' },
    { errors: { rate: '30%', status: [503, 429], retryAfter: '5s' } },
  ],
  [{ limit: '60/1m', of: 'caller' }, { limit: { calls: 60, per: '1m', of: 'caller' } }],
  [{ effect: 'drop' }, { connection: { effect: 'drop' } }],
  [{ line: 'harbour-radio' }, { connection: { line: 'harbour-radio' } }],
  [
    { outage: '503', outageFor: '20s', outageEvery: '2m', seed: '7' },
    { outage: { as: '503', for: '20s', every: '2m' }, seed: 7 },
  ],
])('%j is written as %j and read back', (given, document) => {
  const draft = { ...noImpairment, ...given };
  expect(documentOf(draft)).toEqual(document);
  expect(documentOf(draftOf(documentOf(draft)))).toEqual(document);
});

test('what the service writes shorter is read, too', () => {
  expect(draftOf({ connection: 'reset', errors: { rate: '5%', status: { 503: 3, 500: 1 } } })).toMatchObject({
    effect: 'reset',
    status: '500, 503',
  });
});

test('the command does the same', () => {
  const draft = { ...noImpairment, errors: '30%', status: '503, 500' };
  expect(commandOf('moorings', 'getBerth', draft)).toBe(
    'rapidmimic impair set moorings --operation getBerth --error-rate 30% --error-status 503,500',
  );
  for (const { draft } of beginnings) expect(documentOf({ ...noImpairment, ...draft })).not.toEqual({});
});

test.each([
  { errors: { next: 3, status: [503] } },
  { errors: { rate: '30%', status: { 503: 3, 429: 1 }, first: 2 } },
  { limit: { inFlight: 5 } },
  { limit: { calls: 60, per: '1m', inFlight: 5 } },
  { connection: { line: 'harbour-radio', bytesPerSecond: 2000 }, latency: '1s' },
  { connection: { effect: 'drop', rate: '5%' } },
])('%j comes back whole from the form', (document) => {
  expect(withOthers(documentOf(draftOf(document as never)), othersOf(document as never))).toEqual(document);
});

test('what the form changes counts, what it does not show stays', () => {
  const on = { errors: { rate: '30%', status: { 503: 3, 429: 1 }, next: 3 } };
  const draft = { ...draftOf(on as never), errors: '50%', status: '500' };
  expect(othersText(othersOf(on as never))).toBe('errors status {"429":1,"503":3}, errors next 3');
  expect(withOthers(documentOf(draft), othersOf(on as never))).toEqual({
    errors: { rate: '50%', status: [500], next: 3 },
  });
});
