import { describe, expect, it } from 'vitest';
import { extended, left } from './left';

describe('how long a lane stays open', () => {
  const now = Date.parse('2026-12-01T10:00:00Z');
  it.each([
    ['2026-12-01T09:59:00Z', '0 s'],
    ['2026-12-01T10:00:45Z', '45 s'],
    ['2026-12-01T10:29:59Z', '29 min 59 s'],
    ['2026-12-01T12:05:00Z', '2 h 5 min'],
    ['2026-12-04T11:00:00Z', '3 d 1 h'],
  ])('until %s is %s', (until, words) => expect(left(until, now)).toBe(words));

  it('is counted from when it was opened', () =>
    expect(extended('2026-12-01T09:00:00.4Z', '2026-12-01T10:00:00.4Z', 1800)).toBe(5400));
});
