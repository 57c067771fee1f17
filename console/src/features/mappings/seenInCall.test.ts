// @vitest-environment jsdom
import { expect, it } from 'vitest';
import type { CallDetail } from '@/api/types';
import { seenInCall, seenNames } from './seenInCall';

const call = (body: string, headers: string[][] = [], change: Partial<CallDetail['request']> = {}) =>
  ({
    query: 'season=winter&nights=3',
    request: { headers, body, encoding: 'text', size: body.length, ...change },
  }) as CallDetail;

it('offers what a call has, as conditions have it', () => {
  const { query, header, cookie, body } = seenInCall(
    call('{"vessel":{"name":"Tern","metres":18.0},"tags":[]}', [
      ['X-Kind', 'a'],
      ['Cookie', 'tier=gold; q=a=b'],
    ]),
  );
  expect([...(query ?? [])]).toEqual([
    ['season', 'winter'],
    ['nights', '"3"'],
  ]);
  expect(header?.get('x-kind')).toBe('a');
  expect([...(cookie ?? [])]).toEqual([
    ['tier', 'gold'],
    ['q', 'a=b'],
  ]);
  expect([...(body ?? [])]).toEqual([
    ['$.vessel.name', 'Tern'],
    ['$.vessel.metres', '18.0'],
    ['$.tags', '[]'],
  ]);
});

it('reads XML and forms, and leaves other bodies', () => {
  expect([...(seenInCall(call('<e><f>1</f></e>')).xml ?? [])]).toEqual([['/e/f', '"1"']]);
  const form = [['Content-Type', 'application/x-www-form-urlencoded']];
  expect([...(seenInCall(call('a=1&b=x', form)).form ?? [])]).toEqual([
    ['a', '"1"'],
    ['b', 'x'],
  ]);
  for (const other of [
    call('words'),
    call('{"a":1}', [], { truncated: true }),
    call('eyI=', [], { encoding: 'base64' }),
  ]) {
    expect(Object.keys(seenInCall(other))).toEqual(['query', 'header', 'cookie']);
  }
});

it('names what a call has as expressions do', () => {
  const asked = call('{"vessel": {"name": "Gannet", "lengths": [21.3]}}', [['X-Run', 'a']]);
  const names = seenNames({ ...asked, path: '/berths/N7/bookings' }, '/berths/{number}/{*}');
  for (const [name, value] of [
    ['call.path.number', 'N7'],
    ['call.query.season', 'winter'],
    ['call.headers["x-run"]', 'a'],
    ['call.body.vessel.name', 'Gannet'],
    ['call.body.vessel.lengths[0]', '21.3'],
  ])
    expect(names).toContainEqual({ name, value });
  expect(names.filter(({ name }) => name.startsWith('call.path'))).toHaveLength(1);
});
