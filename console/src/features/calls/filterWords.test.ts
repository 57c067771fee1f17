import { expect, it } from 'vitest';
import { withoutWord, wordsIn } from './filterWords';

it.each([
  ['', []],
  ['  status:5xx  -tides ', ['status:5xx', '-tides']],
  ['body:"Grey Gannet" miss', ['body:"Grey Gannet"', 'miss']],
  ['-"two words" "not closed', ['-"two words"', '"not closed']],
  ['a or b', ['a', 'or', 'b']],
])('splits %j', (text, words) => expect(wordsIn(text)).toEqual(words));

it.each([
  ['a b c', 1, 'a c'],
  ['a or b', 0, 'b'],
  ['a or b', 2, 'a'],
  ['a or b or c', 2, 'a or c'],
  ['body:"x y" z', 1, 'body:"x y"'],
])('takes out of %j the word %i', (text, at, rest) => expect(withoutWord(text, at)).toBe(rest));
