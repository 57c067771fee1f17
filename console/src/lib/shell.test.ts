import { expect, test } from 'vitest';
import { word } from './shell';

test.each([
  ['moorings', 'moorings'],
  ['p50=80ms,p99=1s', 'p50=80ms,p99=1s'],
  ['', "''"],
  ['$(touch owned)', "'$(touch owned)'"],
  ["it's", "'it'\\''s'"],
  ['~root', "'~root'"],
  ['a b', "'a b'"],
])('%s becomes the word %s', (text, quoted) => {
  expect(word(text)).toBe(quoted);
});
