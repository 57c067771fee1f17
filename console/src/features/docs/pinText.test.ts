import { expect, test } from 'vitest';
import { parsePins, pinPatch, pinText } from './pinText';

test('pins are written and read back', () => {
  const pins = {
    '/state': 'taken',
    '/n': 7,
    '/number': '7',
    '/a/*/b': [1],
    '/until': '${now()}',
    '/empty': '',
  };
  expect(parsePins(pinText(pins))).toEqual(pins);
  expect(pinText(undefined)).toBe('');
  expect(parsePins('\n')).toEqual({});
});

test.each(['state = taken', '/state', '/state ='])('%s is no pin', (line) => {
  expect(parsePins(line)).toBeNull();
});

test('a patch takes away what is gone', () => {
  expect(pinPatch({ '/a': 1, '/b': 2 }, { '/b': 3 })).toEqual({ '/a': null, '/b': 3 });
});
