import { expect, it } from 'vitest';
import { conditionOfField, queryOfField } from './fieldQuery';

it.each([
  ['json', '"N7"', 'body:N7', '[{"body": "$.x", "equals": "N7"}]'],
  ['json', '"Grey Gannet"', 'body:"Grey Gannet"', '[{"body": "$.x", "equals": "Grey Gannet"}]'],
  ['json', '18.0', 'body:18.0', '[{"body": "$.x", "equals": 18.0}]'],
  ['json', '"say \\"hi\\""', '', '[{"body": "$.x", "equals": "say \\"hi\\""}]'],
  ['json', '[]', '', ''],
  ['json', undefined, '', ''],
  ['xml', 'M-9', 'body:"M-9"', '[{"xml":"$.x","equals":"M-9"}]'],
  ['xml', '', '', '[{"xml":"$.x","equals":""}]'],
] as const)('of %s %j', (notation, value, query, condition) => {
  const field = { notation, value, path: '$.x', pointer: '/x' };
  expect([queryOfField(field), conditionOfField(field)]).toEqual([query, condition]);
});
