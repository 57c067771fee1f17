import { expect, it } from 'vitest';
import { keyIn } from './keyIn';

it.each([
  ['{"number": "N7"}', 'number', 'N7'],
  ['{"id": 7}', 'id', '7'],
  ['{"id": {}}', 'id', ''],
  ['{"id": 7', 'id', ''],
  ['null', 'id', ''],
  ['{"id": 7}', undefined, ''],
])('the key in %s by %s is %s', (text, property, key) => {
  expect(keyIn(text, property)).toBe(key);
});
