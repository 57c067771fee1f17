import { expect, it } from 'vitest';
import { commandOf, noDraft, requestOf } from './tokenRequest';

it('asks for what was typed', () => {
  const request = requestOf({ ...noDraft, name: ' ci ', services: 'moorings, tides', lanes: 'ci-*' });
  expect(request).toEqual({
    name: 'ci',
    role: 'tester',
    services: ['moorings', 'tides'],
    lanes: ['ci-*'],
    ttl: '30d',
  });
  expect(commandOf(request)).toBe(
    "rapidmimic token create ci --role tester --service moorings --service tides --lane 'ci-*' --ttl 30d",
  );
});

it('limits no administrator', () => {
  const request = requestOf({ ...noDraft, role: 'admin', services: 'moorings', lanes: 'x', ttl: '' });
  expect(request).toEqual({ name: '', role: 'admin' });
  expect(commandOf(request)).toBe('rapidmimic token create NAME --role admin');
});
