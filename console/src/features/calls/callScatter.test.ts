import { describe, expect, it } from 'vitest';
import type { Call } from '@/api/types';
import { apart, nearest, scatterOf } from './callScatter';

const called = (id: string, second: number, tookMs: number) =>
  ({ id, at: new Date(Date.UTC(2026, 10, 29, 12, 0, second)).toISOString(), tookMs }) as Call;

describe('calls by when they came and how long they took', () => {
  it('has an axis of powers of ten around them', () => {
    const plot = scatterOf([called('c', 20, 500), called('b', 10, 10), called('a', 0, 0.5)]);
    expect(plot?.marks.map(({ ms }) => ms)).toEqual([0.1, 1, 10, 100, 1000]);
    expect(plot?.points.map(({ call, x, y }) => [call.id, x, Number(y.toFixed(2))])).toEqual([
      ['c', 1, 0.92],
      ['b', 0.5, 0.5],
      ['a', 0, 0.17],
    ]);
    expect([plot?.medianMs, plot?.p95Ms, plot?.slowest.map(({ id }) => id)]).toEqual([
      10,
      500,
      ['c', 'b', 'a'],
    ]);
  });

  it('takes one call, one that took no time, and none', () => {
    const one = scatterOf([called('a', 0, 0)]);
    expect([one?.points[0]?.x, one?.points[0]?.y, one?.marks.length]).toEqual([0.5, 0, 2]);
    expect(scatterOf([])).toBeUndefined();
  });

  it('draws one of those that stand on top of one another, of each source', () => {
    const at = (source: string, x: number, y: number) => ({
      call: { source } as Call,
      x: x / 300,
      y: 1 - y / 90,
    });
    const points = [
      at('miss', 30, 30),
      at('miss', 31, 31),
      at('mapping', 30, 30),
      at('miss', 36, 30),
      at('miss', 30, 36),
      at('miss', 300, 30),
    ];
    expect(apart(points, { width: 300, height: 90 })).toEqual(points.filter((_, i) => i !== 1));
  });

  it('finds the nearest within reach', () => {
    const points = scatterOf([called('a', 0, 1), called('b', 10, 10)])?.points ?? [];
    const size = { width: 100, height: 100 };
    expect(nearest(points, { x: 8, y: 92 }, size)?.call.id).toBe('a');
    expect(nearest(points, { x: 95, y: 3 }, size)?.call.id).toBe('b');
    expect(nearest(points, { x: 50, y: 50 }, size)).toBeUndefined();
  });
});
