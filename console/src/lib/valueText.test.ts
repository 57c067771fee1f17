import { expect, it } from 'vitest';
import { parseExact } from '@/lib/exactJson';
import { valueJSON, valueText } from './valueText';

it.each([
  ['"free"', 'free'],
  ['"${call.body.nights * 12}"', '${call.body.nights * 12}'],
  ['"7"', '"7"'],
  ['"true"', '"true"'],
  ['""', ''],
  ['7', '7'],
  ['9007199254740993', '9007199254740993'],
  ['1.50', '1.50'],
  ['null', 'null'],
  ['{"a":[1,"x"]}', '{"a":[1,"x"]}'],
  ['"two\\nlines"', 'two\nlines'],
])('the value %s is written %s and read back', (json, text) => {
  expect(valueText(parseExact(json))).toBe(text);
  expect(valueJSON(text)).toBe(json);
});
