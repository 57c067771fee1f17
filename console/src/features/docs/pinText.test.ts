import { expect, test } from 'vitest';
import { parsePins, pinText } from './pinText';

test('pins are written and read back', () => {
  const pins = {
    '/state': 'taken',
    '/n': 7,
    '/number': '7',
    '/a/*/b': [1],
    '/until': '${now()}',
    '/empty': '',
    '/nothing': null,
  };
  expect(parsePins(pinText(pins))).toEqual(pins);
  expect(pinText(undefined)).toBe('');
  expect(parsePins('\n')).toEqual({});
});

test.each(['state = taken', '/state', '/state ='])('%s is no pin', (line) => {
  expect(parsePins(line)).toBeNull();
});
