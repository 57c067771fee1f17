import { describe, expect, test } from 'vitest';
import { parseExact, writeExact } from '@/lib/exactJson';
import { readValue } from '@/lib/valueText';
import { isSecret, namesOf, patchOf, saidOf, setsOf, textOf } from './variableTable';

describe('values as they are typed', () => {
  test.each([
    ['https://office.skerry.test', '"https://office.skerry.test"'],
    ['40', '40'],
    ['18.0', '18.0'],
    ['"40"', '"40"'],
    ['true', 'true'],
    ['["A","B"]', '["A","B"]'],
    ['01234', '"01234"'],
    ['', '""'],
  ])('%s', (text, json) => {
    const value = readValue(text);
    expect(writeExact(value)).toBe(json);
    expect(textOf(parseExact(json))).toBe(text);
  });
  test('a secret shows nothing', () => {
    expect(textOf({ secret: true })).toBe('');
    expect(isSecret({ secret: true })).toBe(true);
    expect(isSecret({ secret: false, value: 1 })).toBe(false);
    expect(isSecret(null)).toBe(false);
    expect(isSecret('secret')).toBe(false);
  });
});

const table = { variables: { b: 1, a: 'x' }, variableSets: { staging: { c: 2, a: 'y' }, 'a/b': { z: 1 } } };

test('names and sets', () => {
  expect(namesOf(table)).toEqual(['a', 'b', 'c', 'z']);
  expect(namesOf({})).toEqual([]);
  expect(setsOf(table, ['calm', 'staging'])).toEqual(['a/b', 'calm', 'staging']);
  expect(saidOf(table, '', 'a')).toBe('x');
  expect(saidOf(table, 'staging', 'a')).toBe('y');
  expect(saidOf(table, 'calm', 'a')).toBeUndefined();
});

describe('patches', () => {
  test('what is missing on the way is made', () => {
    expect(patchOf({}, '', 'a', 1)).toEqual([
      { op: 'add', path: '/variables', value: {} },
      { op: 'add', path: '/variables/a', value: 1 },
    ]);
    expect(patchOf(table, 'calm', 'a', { secret: true, value: 'hush-hush' })).toEqual([
      { op: 'add', path: '/variableSets/calm', value: {} },
      { op: 'add', path: '/variableSets/calm/a', value: { secret: true, value: 'hush-hush' } },
    ]);
    expect(patchOf({}, 'calm', 'a', 1)).toHaveLength(3);
    expect(patchOf(table, 'a/b', 'z', 2)).toEqual([{ op: 'add', path: '/variableSets/a~1b/z', value: 2 }]);
  });
  test('a set goes with its last variable', () => {
    expect(patchOf(table, '', 'a', undefined)).toEqual([{ op: 'remove', path: '/variables/a' }]);
    expect(patchOf(table, 'staging', 'a', undefined)).toEqual([
      { op: 'remove', path: '/variableSets/staging/a' },
    ]);
    expect(patchOf(table, 'a/b', 'z', undefined)).toEqual([{ op: 'remove', path: '/variableSets/a~1b' }]);
  });
});
