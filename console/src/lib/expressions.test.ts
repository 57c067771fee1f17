import { expect, it } from 'vitest';
import { expressionsIn } from './expressions';

const texts = (text: string) => expressionsIn(text).map(({ expression }) => expression);

it.each([
  ['{"a": "${call.path.n}", "b": "x ${ 1 + 2 } y"}', ['call.path.n', '1 + 2']],
  ['$${call.path.n} and ${uuid()}', ['uuid()']],
  ['${ {"a": {"b": 1}}.a }', ['{"a": {"b": 1}}.a']],
  [String.raw`"${'${'}call.headers[\"x-run\"]}"`, ['call.headers["x-run"]']],
  ['${"a}b"} ${\'c}\'}', ['"a}b"', "'c}'"]],
  ['${call.path\n} ${now()}', ['now()']],
  ['${call.path', []],
  ['no expression', []],
])('%j has %j', (text, want) => expect(texts(text)).toEqual(want));

it('tells where they stand', () => {
  const [one] = expressionsIn('a ${now()} b');
  expect([one?.from, one?.to]).toEqual([2, 10]);
});
