import { expect, it } from 'vitest';
import type { Call } from '@/api/types';
import { mappingLink } from './mappingLink';

const call: Call = {
  id: 'c-7',
  at: '2026-12-01T09:14:02Z',
  service: 'north pier',
  method: 'GET',
  path: '/berths/N7',
  status: 200,
  source: 'contract',
  by: 'getBerth',
  tookMs: 1,
  host: 'localhost',
};

it('leads to the mapping that answered, else to a new one made of the call', () => {
  expect(mappingLink({ ...call, source: 'mapping', by: 'night' })).toBe(
    '/services/north%20pier/mappings/night',
  );
  expect(mappingLink({ ...call, source: 'mapping', by: 'night', lane: 'mara', scenario: 'full' })).toBe(
    '/services/north%20pier/mappings/night?lane=mara',
  );
  expect(mappingLink({ ...call, source: 'mapping', by: 'night', scenario: 'full' })).toBe(
    '/services/north%20pier/mappings/night?lane=-',
  );
  expect(mappingLink(call)).toBe('/services/north%20pier/mappings?from=c-7');
});
