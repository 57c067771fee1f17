import { expect, test } from 'vitest';
import { bounds, milliseconds, setShares, sharesOf } from './latencyShares';

const sum = (shares: number[] = []) => shares.reduce((all, share) => all + share, 0);
const below = (shares: number[] = [], ms: number) => sum(shares.filter((_, i) => (bounds[i + 1] ?? 0) <= ms));

test('times fall into their bins', () => {
  const shares = sharesOf([0.01, 1.2, 1.3, 500_000]);
  expect([shares[0], shares[6], shares.at(-1)]).toEqual([0.25, 0.5, 0.25]);
  expect(sum(shares)).toBeCloseTo(1);
});

test.each([['250ms'], ['100ms..400ms'], [{ p50: '80ms', p99: '900ms' }]])(
  '%j is spread over the bins',
  (latency) => {
    expect(sum(setShares(latency))).toBeCloseTo(1, 2);
  },
);

test('half of a shaped latency lies below its median, 99 % below its p99', () => {
  const shares = setShares({ p50: '100ms', p99: '1s' });
  expect(below(shares, 100.1)).toBeCloseTo(0.5, 2);
  expect(below(shares, 1000.1)).toBeCloseTo(0.99, 2);
  expect(setShares(undefined)).toBeUndefined();
});

test.each([
  ['250ms', 250],
  ['1m30s', 90_000],
  ['1.5s', 1500],
  ['', 0],
])('%s is %d ms', (text, ms) => {
  expect(milliseconds(text)).toBe(ms);
});
