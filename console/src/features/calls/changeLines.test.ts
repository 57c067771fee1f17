import { describe, expect, it } from 'vitest';
import type { Call, Entry } from '@/api/types';
import { changeLines, rowAt, rowOf } from './changeLines';

const at = (second: number) => `2026-12-01T09:14:${String(second).padStart(2, '0')}.5Z`;
const call = (second: number, service = 'moorings') =>
  ({ id: `c-${second}`, at: at(second), service }) as Call;
const change = (second: number, ...services: string[]) =>
  ({ id: `a-${second}`, at: at(second), services }) as Entry;

/** The rows as a table shows them. */
function shown(calls: Call[], entries: Entry[]): (string | undefined)[] {
  const lines = changeLines(calls, entries);
  return Array.from({ length: calls.length + lines.length }, (_, row) => {
    const what = rowAt(lines, row);
    if ('entry' in what) return what.entry.id;
    expect(rowOf(lines, what.call)).toBe(row);
    return calls[what.call]?.id;
  });
}

describe('changes between the calls', () => {
  const calls = [call(40), call(30), call(30, 'tides'), call(10)];
  it.each<[string, Entry[], string[]]>([
    ['none', [], ['c-40', 'c-30', 'c-30', 'c-10']],
    ['above all', [change(50)], ['a-50', 'c-40', 'c-30', 'c-30', 'c-10']],
    ['at the time of a call', [change(30)], ['c-40', 'a-30', 'c-30', 'c-30', 'c-10']],
    [
      'two in a row, one below',
      [change(36), change(35), change(20)],
      ['c-40', 'a-36', 'a-35', 'c-30', 'c-30', 'a-20', 'c-10'],
    ],
    ['before the oldest', [change(9)], ['c-40', 'c-30', 'c-30', 'c-10']],
    [
      'of services with and without calls',
      [change(35, 'customs'), change(34, 'customs', 'tides')],
      ['c-40', 'a-34', 'c-30', 'c-30', 'c-10'],
    ],
  ])('%s', (_, entries, rows) => {
    expect(shown(calls, entries)).toEqual(rows);
  });
  it('has no call to stand between', () => {
    expect(shown([], [change(1)])).toEqual([]);
  });
});
