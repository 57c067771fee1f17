import { expect, it } from 'vitest';
import type { Call } from '@/api/types';
import { sameEndpoint } from './sameEndpoint';

const call = (change: Partial<Call>) =>
  ({ service: 'moorings', method: 'GET', path: '/berths/N7', source: 'contract', ...change }) as Call;

it.each<[string, Partial<Call>, Partial<Call>, boolean]>([
  ['an operation, elsewhere', { operation: 'getBerth' }, { operation: 'getBerth', path: '/berths/N9' }, true],
  ['another operation', { operation: 'getBerth' }, { operation: 'getDues' }, false],
  ['a mapping answered one', { operation: 'getBerth' }, { source: 'mapping' }, true],
  ['another path', {}, { path: '/berths/N9' }, false],
  ['another method', {}, { method: 'PUT' }, false],
  ['another service', {}, { service: 'tides' }, false],
  ['the service made it', {}, { source: 'callback' }, false],
  [
    'both are webhooks',
    { source: 'callback', by: 'berthFreed' },
    { source: 'callback', by: 'berthFreed', path: '/x' },
    true,
  ],
  ['of two webhooks', { source: 'callback', by: 'berthFreed' }, { source: 'callback', by: 'told' }, false],
])('%s', (_, a, b, same) => {
  expect([sameEndpoint(call(a), call(b)), sameEndpoint(call(b), call(a))]).toEqual([same, same]);
});
