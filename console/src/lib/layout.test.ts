import { expect, test } from 'vitest';
import { layoutJson, layoutXml } from './layout';

test.each([
  [
    '{"a":18.0,"b":[9007199254740993,{}],"c":[]}',
    '{\n  "a": 18.0,\n  "b": [\n    9007199254740993,\n    {}\n  ],\n  "c": []\n}',
  ],
  ['"a, {b}"', '"a, {b}"'],
  ['[ "x\\"]" , true ]', '[\n  "x\\"]",\n  true\n]'],
])('lays out %s', (text, want) => {
  expect(layoutJson(text)).toBe(want);
});

test('lays out XML', () => {
  expect(layoutXml('<?xml version="1.0"?><a x="1"><b>text</b><c/><d></d><e><f>1</f></e></a>')).toBe(
    '<?xml version="1.0"?>\n<a x="1">\n  <b>text</b>\n  <c/>\n  <d></d>\n  <e>\n    <f>1</f>\n  </e>\n</a>',
  );
});
