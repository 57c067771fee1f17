// @vitest-environment jsdom
import { afterEach, expect, it, vi } from 'vitest';
import { lastEntry, send } from './http';

const answered = (entry?: string) =>
  vi.fn(async () => new Response('{}', { headers: entry ? { 'Rapid-Mimic-Activity': entry } : {} }));

afterEach(() => vi.unstubAllGlobals());

it('knows what was written last, also when something is asked since', async () => {
  vi.stubGlobal('fetch', answered('a-7'));
  await send('/services/moorings/mappings/fog', { method: 'PUT', body: '{}' });
  expect(lastEntry()).toBe('a-7');
  vi.stubGlobal('fetch', answered());
  await send('/services/moorings/mappings');
  await send('/services/moorings/trials', { method: 'POST', asks: true });
  await send('/presence', { method: 'POST' });
  expect(lastEntry()).toBe('a-7');
  await send('/services/moorings/mappings/fog', { method: 'PUT', body: '{}' }); // changes nothing
  expect(lastEntry()).toBe('');
});
