import { expect, it } from 'vitest';
import { callTarget, fixedTargets, foundTargets, serviceOf, soughtIn } from './targets';

const nothing = { impaired: [], impairmentsOff: false, scenario: { scenario: '' } };
const titles = (text: string, here: Parameters<typeof fixedTargets>[1]) =>
  fixedTargets(text, here).map(({ title }) => title);

it('offers pages, the rooms of the service that is open, and what can be done now', () => {
  expect(titles('lanes', { service: '' })).toEqual(['Lanes']);
  expect(titles('calls', { service: 'moorings' })).toEqual(['moorings: calls', 'Calls']);
  expect(titles('impairments', { service: '', status: nothing })).toEqual([]);
  expect(titles('IMPAIR', { service: '', status: { ...nothing, impaired: ['tides'] } })).toEqual([
    'Stop all impairments',
  ]);
  expect(
    titles('impair', { service: '', status: { ...nothing, impaired: ['tides'], impairmentsOff: true } }),
  ).toEqual(['Switch impairments on again']);
  expect(
    titles('scenario', { service: '', status: { ...nothing, scenario: { scenario: 'storm' } } }),
  ).toEqual(['Scenarios', 'Leave scenario storm']);
  expect(fixedTargets('', { service: 'a/b' })[1]?.href).toBe('/services/a%2Fb/calls');
});

it('leads to what was found', () => {
  const hrefs = (found: Parameters<typeof foundTargets>[0]) =>
    foundTargets(found).map(({ href, act }) => href ?? act);
  expect(hrefs({ kind: 'service', id: 'tides' })).toEqual(['/services/tides']);
  expect(hrefs({ kind: 'mapping', service: 'tides', id: 'a b' })).toEqual(['/services/tides/mappings/a%20b']);
  expect(hrefs({ kind: 'operation', service: 'tides', id: 'getLevel' })).toEqual([
    '/services/tides/docs/getLevel',
  ]);
  expect(hrefs({ kind: 'scenario', id: 'storm' })).toEqual([
    '/scenarios?scenario=storm',
    { do: 'scenario', name: 'storm' },
  ]);
  expect(hrefs({ kind: 'lane', id: 'mara' })).toEqual(['/lanes?lane=mara']);
});

it.each([
  [' C-81F3 ', '/calls?call=c-81f3'],
  ['c-81g3', undefined],
  ['the c-81f3', undefined],
])('reads %j as a call', (text, href) => expect(callTarget(text)[0]?.href).toBe(href));

it.each([
  ['/services/a%20b/calls', 'a b'],
  ['/services', ''],
  ['/calls', ''],
])('knows the service of %s', (path, service) => expect(serviceOf(path)).toBe(service));

it.each([
  ['use  storm drill ', 'storm drill', true],
  ['user', 'user', false],
  ['use', 'use', false],
])('in %j seeks %j', (text, words, toUse) => expect(soughtIn(text)).toEqual({ words, toUse }));
