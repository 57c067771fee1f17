import { expect, it } from 'vitest';
import { keyPlaceAt } from './jsonPlace';

it.each([
  ['{', '', ''],
  ['{"st', '', 'st'],
  ['{st', '', 'st'],
  ['{"number": "N7", "st', '', 'st', 'number'],
  ['{"vessel": {"na', 'vessel', 'na'],
  ['{"a": {"b": 1}, "vessel": {"name": "x", ', 'vessel', '', 'name'],
  ['{"extras": [{"kind": "a"}, {"', 'extras[]', ''],
  ['[{"', '[]', ''],
  ['{"a": "{\\"b\\"", "c', '', 'c', 'a'],
])('%j writes a key of %j', (text, path, typed, ...taken) => {
  const place = keyPlaceAt(text);
  expect([place?.path, place?.typed, ...(place?.taken ?? [])]).toEqual([path, typed, ...taken]);
});

it.each([
  ['{"number": '],
  ['{"number": "N'],
  ['{"list": ['],
  ['{"list": [1, '],
  ['"a'],
  [''],
  ['{"a"'],
  ['{"a":1}'],
])('%j writes none', (text) => expect(keyPlaceAt(text)).toBeUndefined());

it('tells where the word begins, with its quote', () => {
  expect(keyPlaceAt('{ "st')?.from).toBe(2);
  expect(keyPlaceAt('{ ')?.from).toBe(2);
});
