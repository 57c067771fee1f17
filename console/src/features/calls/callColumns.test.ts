import { describe, expect, it } from 'vitest';
import type { Call } from '@/api/types';
import { anyUnder, readColumns, shownColumns, textOf, withColumn } from './callColumns';

const ids = (chosen: string, under = false) => shownColumns(readColumns(chosen), under).map(({ id }) => id);

describe('columns of the list of calls', () => {
  it.each([
    ['the usual ones', '', false, ['time', 'call', 'status', 'by', 'took', 'id']],
    ['with what tells lanes', '', true, ['time', 'call', 'status', 'by', 'under', 'took', 'id']],
    ['chosen ones, in their order', '["trace","time"]', true, ['time', 'call', 'trace']],
    ['unknown ones are left out', '["tide"]', false, ['call']],
    ['what is no list', '{"a":1}', false, ['time', 'call', 'status', 'by', 'took', 'id']],
    ['what is no JSON', 'tide', false, ['time', 'call', 'status', 'by', 'took', 'id']],
  ])('%s', (_, chosen, under, want) => expect(ids(chosen, under)).toEqual(want));

  it('takes one in, and leaves one out', () => {
    expect(withColumn(['time', 'call'], 'service', true)).toEqual(['time', 'service', 'call']);
    expect(withColumn(['time', 'call'], 'time', false)).toEqual(['call']);
  });

  it.each<[string, Partial<Call>[], boolean, boolean]>([
    ['a scenario', [{}, { scenario: 'storm' }], false, true],
    ['a lane among many', [{}, { lane: 'mara' }], true, true],
    ['the lane that all have', [{ lane: 'mara' }], false, false],
    ['none', [{}], true, false],
  ])('has Under to tell: %s', (_, calls, mixed, want) => expect(anyUnder(calls as Call[], mixed)).toBe(want));

  it('tells of a call what it is asked for', () => {
    const call = {
      id: 'c-1',
      service: 'moorings',
      tookMs: 12,
      agent: 'python',
      trace: '4bf92f3577b34da6',
      lane: 'mara',
      scenario: 'storm',
    } as Call;
    expect(
      (['id', 'service', 'operation', 'caller', 'trace', 'under'] as const).map((id) =>
        textOf(id, call, true),
      ),
    ).toEqual(['c-1', 'moorings', '', 'python', '4bf92f35', 'lane mara, storm']);
    expect(textOf('under', call, false)).toBe('storm');
    expect(textOf('took', call, false)).toBe('12 ms');
  });
});
