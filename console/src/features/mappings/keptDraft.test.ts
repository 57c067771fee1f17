// @vitest-environment jsdom
import { beforeEach, expect, it } from 'vitest';
import { keepDraft, keptDraft } from './keptDraft';
import { emptyDraft } from './mappingDraft';

beforeEach(() => sessionStorage.clear());

it('keeps a draft over a reload, for the version that it was begun on', () => {
  const kept = { draft: { ...emptyDraft(), title: 'Mine' }, text: '' };
  keepDraft('moorings', 'fog', 'v1', kept);
  expect(keptDraft('moorings', 'fog', 'v1')).toMatchObject(kept);
  for (const [service, id, version] of [
    ['moorings', 'fog', 'v2'],
    ['moorings', '', 'v1'],
    ['tides', 'fog', 'v1'],
  ] as const) {
    expect(keptDraft(service, id, version)).toBeUndefined();
  }
  keepDraft('moorings', 'fog', 'v1');
  expect(keptDraft('moorings', 'fog', 'v1')).toBeUndefined();
});

it('keeps none that is too large, and survives what is no draft', () => {
  keepDraft('moorings', 'fog', 'v1', { draft: emptyDraft(), text: 'x'.repeat(600_000) });
  expect(sessionStorage).toHaveLength(0);
  sessionStorage.setItem('draft of moorings fog', 'nonsense');
  expect(keptDraft('moorings', 'fog', 'v1')).toBeUndefined();
});
