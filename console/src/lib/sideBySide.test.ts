import { expect, test } from 'vitest';
import { aroundChanges, sideBySide } from './sideBySide';

test.each([
  ['a\nb\n', 'a\nb\n', ['a|a', 'b|b']],
  ['a\nb\nc\n', 'a\nx\ny\nc\n', ['a|a', 'b|x', '-|y', 'c|c']],
  ['a\nb\n', 'b\n', ['a|-', 'b|b']],
  ['', 'new\n', ['-|new']],
  ['gone\n', '', ['gone|-']],
])('%j beside %j', (before, after, want) => {
  expect(sideBySide(before, after).map(({ left = '-', right = '-' }) => `${left}|${right}`)).toEqual(want);
});

test('what is alike far from any difference is left out', () => {
  const lines = (change: string) => ['a', 'b', 'c', 'd', change, 'f', 'g', 'h', 'i', ''].join('\n');
  const rows = aroundChanges(sideBySide(lines('e'), lines('E')), 1);
  expect(rows.map((row) => ('alike' in row ? row.alike : row.left))).toEqual([3, 'd', 'e', 'f', 3]);
  expect(aroundChanges(sideBySide('a\nb\nx\n', 'a\nb\ny\n'), 0)).toHaveLength(3);
});
