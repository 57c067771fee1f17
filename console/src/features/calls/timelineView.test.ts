import { expect, test } from 'vitest';
import { readTime, timeBetween, timelineView, timeText } from './timelineView';

const view = timelineView({
  from: '2026-12-01T09:00:00Z',
  seconds: 15,
  spans: [
    { sources: { contract: 3, miss: 1 }, failed: 0, p50Ms: 1, p95Ms: 2 },
    { sources: {}, failed: 0, notKept: 7, p50Ms: 0, p95Ms: 0 },
    { sources: { mapping: 2 }, failed: 2, p50Ms: 5, p95Ms: 500 },
  ],
});

test('a timeline is drawn as shares of its fullest span', () => {
  expect([view.calls, view.failed, view.notKept, view.most, view.slowestMs]).toEqual([6, 2, 7, 4, 500]);
  expect(view.columns[0]?.pieces).toEqual([
    { source: 'contract', from: 0, tall: 0.75 },
    { source: 'miss', from: 0.75, tall: 0.25 },
  ]);
  expect(view.columns.map(({ at }) => at - Date.parse('2026-12-01T09:00:00Z'))).toEqual([0, 15_000, 30_000]);
  expect(view.columns[2]?.pieces).toEqual([{ source: 'mapping', from: 0, tall: 0.5 }]);
});

test('a time is taken over columns in either direction, and read back', () => {
  const begin = Date.parse('2026-12-01T09:00:00Z');
  const time = { from: begin + 15_000, to: begin + 45_000 };
  expect(timeBetween(view.columns, 1, 2, 15_000)).toEqual(time);
  expect(timeBetween(view.columns, 2, 1, 15_000)).toEqual(time);
  expect(timeBetween(view.columns, 2, 9, 15_000)).toBeUndefined();
  expect(readTime(timeText(time))).toEqual(time);
  for (const wrong of [null, '', '5', '7-3', 'a-b', '3-3']) expect(readTime(wrong)).toBeUndefined();
});
