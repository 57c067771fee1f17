import { describe, expect, it } from 'vitest';
import { editorOf, ownerOf, ownerText } from './owner';

describe('whose a mapping is', () => {
  it.each([
    [undefined, undefined, '/services/north%20pier/mappings/night', ''],
    ['', undefined, '/services/north%20pier/mappings/night', ''],
    [
      'lane "mara"',
      { kind: 'lane', name: 'mara' },
      '/services/north%20pier/mappings/night?lane=mara',
      'in my lane only',
    ],
    [
      'lane "run-1"',
      { kind: 'lane', name: 'run-1' },
      '/services/north%20pier/mappings/night?lane=run-1',
      'of lane run-1',
    ],
    [
      'scenario "storm"',
      { kind: 'scenario', name: 'storm' },
      '/scenarios?scenario=storm',
      'of scenario storm',
    ],
  ])('of %j is told and edited at its place', (origin, owner, address, text) => {
    expect(ownerOf(origin)).toEqual(owner);
    expect(editorOf('north pier', 'night', origin)).toBe(address);
    expect(ownerText(origin, 'mara')).toBe(text);
  });
});
