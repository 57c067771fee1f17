// @vitest-environment jsdom
import { beforeEach, expect, it } from 'vitest';
import { emptyAnswer } from './answerDraft';
import { endDraft, forgetDrafts, keepDraft, keptDraft } from './keptDraft';
import { emptyDraft } from './mappingDraft';

beforeEach(() => sessionStorage.clear());

it('keeps a draft over a reload, with the version that it was begun on', () => {
  const kept = { draft: { ...emptyDraft(), title: 'Mine' }, text: '', version: 'v1' };
  keepDraft('moorings', 'fog', kept);
  keepDraft('moorings', '', { ...kept, version: 'c-1' });
  const { key: _, ...answer } = kept.draft.answers[0] ?? emptyAnswer();
  expect(keptDraft('moorings', 'fog', 'v1')).toMatchObject({
    ...kept,
    draft: { ...kept.draft, answers: [answer] },
  });
  for (const [service, id, version] of [
    ['moorings', '', 'c-2'],
    ['moorings', 'rain', 'v1'],
    ['tides', 'fog', 'v1'],
  ] as const) {
    expect(keptDraft(service, id, version)).toBeUndefined();
  }
  expect(keptDraft('moorings', '', 'c-1')).toMatchObject({ version: 'c-1' });
  expect(keptDraft('moorings', 'fog', 'v2')?.version, 'what is kept is another by now').toBe('v1');
  keepDraft('moorings', 'fog');
  expect(keptDraft('moorings', 'fog', 'v1')).toBeUndefined();
});

it('keeps none that was saved, however late its editor tells of it', () => {
  const kept = { draft: emptyDraft(), text: 'mine', version: 'v1' };
  keepDraft('moorings', 'fog', kept);
  endDraft('moorings', 'fog');
  keepDraft('moorings', 'fog', kept);
  keepDraft('moorings', 'rain', kept);
  expect(keptDraft('moorings', 'fog', 'v2')).toBeUndefined();
  expect(keptDraft('moorings', 'rain', 'v1')).toMatchObject({ text: 'mine' });
  keepDraft('moorings', 'fog', { ...kept, version: 'v2' });
  expect(keptDraft('moorings', 'fog', 'v2'), 'of an editor that was opened anew').toMatchObject({
    version: 'v2',
  });
});

it('keeps none that is too large, and survives what is no draft', () => {
  keepDraft('moorings', 'fog', { draft: emptyDraft(), text: 'x'.repeat(600_000), version: 'v1' });
  expect(sessionStorage).toHaveLength(0);
  sessionStorage.setItem('draft of moorings fog', 'nonsense');
  expect(keptDraft('moorings', 'fog', 'v1')).toBeUndefined();
});

it('forgets drafts, and nothing else', () => {
  keepDraft('moorings', 'fog', { draft: emptyDraft(), text: '', version: 'v1' });
  sessionStorage.setItem('visitor', 'v');
  forgetDrafts();
  expect(Object.keys(sessionStorage)).toEqual(['visitor']);
});
