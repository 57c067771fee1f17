import { expect, test } from 'vitest';
import { sideBySide } from './sideBySide';

test.each([
  ['a\nb\n', 'a\nb\n', ['a|a', 'b|b']],
  ['a\nb\nc\n', 'a\nx\ny\nc\n', ['a|a', 'b|x', '-|y', 'c|c']],
  ['a\nb\n', 'b\n', ['a|-', 'b|b']],
  ['', 'new\n', ['-|new']],
  ['gone\n', '', ['gone|-']],
])('%j beside %j', (before, after, want) => {
  expect(sideBySide(before, after).map(({ left = '-', right = '-' }) => `${left}|${right}`)).toEqual(want);
});
