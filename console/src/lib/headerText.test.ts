import { expect, test } from 'vitest';
import { headerText, parseHeaders } from './headerText';

test('header lines are written and read back', () => {
  const headers = [
    ['Accept', 'text/plain'],
    ['X-Time', '10:00'],
  ];
  expect(headerText(headers)).toBe('Accept: text/plain\nX-Time: 10:00');
  expect(parseHeaders(`${headerText(headers)}\n\n`)).toEqual(headers);
  expect(headerText(undefined)).toBe('');
});

test('a line without a name is refused', () => {
  expect(parseHeaders('Accept: a\nnonsense')).toBeNull();
  expect(parseHeaders(': value')).toBeNull();
});
