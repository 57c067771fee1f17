import { describe, expect, it } from 'vitest';
import type { Call } from '@/api/types';
import { addCalls, filterCalls, mergeCalls, wantedOf } from './callFilter';

function call(number: number, change: Partial<Call> = {}): Call {
  return {
    id: `c-${number.toString(16)}`,
    at: '2026-12-01T09:14:02Z',
    service: 'moorings',
    method: 'GET',
    path: '/berths/N7',
    status: 200,
    source: 'contract',
    by: 'getBerth',
    tookMs: 0.3,
    host: 'moorings.skerry.example:8443',
    agent: 'curl/8',
    ...change,
  };
}

const ids = (calls: Call[]) => calls.map((c) => c.id);

describe('filterCalls', () => {
  const calls = [
    call(1),
    call(2, {
      method: 'POST',
      path: '/berths/N7/bookings',
      query: 'season=winter',
      status: 409,
      source: 'mapping',
      by: 'refused',
      deviations: 2,
    }),
    call(3, { service: 'tides', path: '/level', source: 'miss', status: 404, by: 'path, segment 1' }),
  ];
  it.each([
    ['', ['c-1', 'c-2', 'c-3']],
    ['  POST  409 ', ['c-2']],
    ['winter', ['c-2']],
    ['body:N7 409', ['c-1', 'c-2', 'c-3']], // the service tells
    ['-post', ['c-1', 'c-3']],
    ['-status:4xx', ['c-1']],
    ['- miss', []],
    ['tides or 409', ['c-2', 'c-3']],
    ['or tides OR', ['c-3']],
    ['nothing or get -miss', ['c-1']],
    ['"get /moorings"', ['c-1']],
    ['"/moorings get"', []],
    ['-"get /moorings"', ['c-2', 'c-3']],
    ['"or"', ['c-1', 'c-2']],
    ['host:SKERRY agent:Curl', ['c-1', 'c-2', 'c-3']],
    ['host:tides', []],
    ['curl/8 -agent:python', ['c-1', 'c-2', 'c-3']],
    ['lane:none', []],
    ['path:/berths/*', ['c-1']],
    ['path:/level', ['c-3']],
    ['path:/level\\*', []],
    ['path:/lev', []],
    ['label:night', []], // only the service knows
    ['service:"tides"', ['c-3']],
    ['deviates', ['c-2']],
    ['miss tides', ['c-3']],
    ['/moorings/berths', ['c-1', 'c-2']],
    ['GETBERTH', ['c-1']],
    ['503', []],
    ['status:4xx', ['c-2', 'c-3']],
    ['status:404 method:get', ['c-3']],
    ['status:none', []],
    ['status:bad', []],
    ['status: source:MAPPING', ['c-2']],
    ['service:Tides', ['c-3']],
    ['took:>0.2ms took:<1s', ['c-1', 'c-2', 'c-3']],
    ['took:<0.2ms', []],
    ['took:<1m30s', ['c-1', 'c-2', 'c-3']],
    ['took:>1h', []],
    ['took:soon', []],
    ['somebody:x', []],
  ])('%j selects %j', (text, expected) => {
    expect(ids(filterCalls(calls, wantedOf(text))).sort()).toEqual(expected);
  });
});

describe('a scope', () => {
  const calls = [
    call(3, { lane: 'mara', at: '2026-12-01T09:15:00.000Z' }),
    call(2, { service: 'tides', at: '2026-12-01T09:14:59.999Z' }),
    call(1, { at: '2026-12-01T09:14:00.000Z' }),
  ];
  const time = { from: Date.parse('2026-12-01T09:14:00Z'), to: Date.parse('2026-12-01T09:15:00Z') };
  it.each([
    [{}, ['c-3', 'c-2', 'c-1']],
    [{ lane: 'mara' }, ['c-3']],
    [{ lane: '-' }, ['c-2', 'c-1']],
    [{ service: 'tides' }, ['c-2']],
    [{ time }, ['c-2', 'c-1']],
    [{ time, service: 'moorings' }, ['c-1']],
  ])('%j narrows what is searched', (scope, expected) => {
    expect(ids(filterCalls(calls, wantedOf(''), scope))).toEqual(expected);
    expect(ids(filterCalls(calls, wantedOf('post'), scope))).toEqual([]);
  });
});

describe('a call that the service made', () => {
  const made = call(4, {
    method: 'PUT',
    source: 'callback',
    host: 'quay.example:90',
    path: '/told',
    cause: 'c-2',
  });
  it.each([
    ['put quay.example:90/told', 1],
    ['/moorings/told', 0],
    ['cause:C-2 source:callback service:moorings', 1],
    ['cause:c-1', 0],
  ])('%j selects %i', (text, count) => {
    expect(filterCalls([made], wantedOf(text))).toHaveLength(count);
  });
});

describe('wantedOf', () => {
  it.each([
    ['body:N7 post', true],
    ['409 body:"two words"', true],
    ['body:"not closed', true],
    ['body: body:"" somebody:x', false],
  ])('%j looks into bodies: %s', (text, inBodies) => expect(wantedOf(text).inBodies).toBe(inBodies));
});

describe('mergeCalls', () => {
  it('keeps the order, drops repeats and holds to the limit', () => {
    const a = [call(20), call(16), call(9)];
    const b = [call(18), call(16), call(3)];
    expect(ids(mergeCalls(a, b, 10))).toEqual(['c-14', 'c-12', 'c-10', 'c-9', 'c-3']);
    expect(ids(mergeCalls(a, b, 2))).toEqual(['c-14', 'c-12']);
  });
});

describe('addCalls', () => {
  it('puts a slow call where it belongs', () => {
    expect(ids(addCalls([call(7), call(5)], [call(6), call(8)], 10))).toEqual(['c-8', 'c-7', 'c-6', 'c-5']);
  });
  it('lets the oldest go when the list is full', () => {
    expect(ids(addCalls([call(2), call(1)], [call(3)], 2))).toEqual(['c-3', 'c-2']);
  });
});
