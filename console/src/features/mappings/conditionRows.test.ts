import { expect, it } from 'vitest';
import { readValue, valueText } from '@/lib/valueText';
import { type Group, type Item, moveItem, newRow, replaceItem, rowsOf, whereOf } from './conditionRows';

it.each([
  ['[{"query":"season","equals":"winter"}]', ['query', 'season', 'equals', 'winter', '']],
  ['[{"query":"nights","equals":3}]', ['query', 'nights', 'equals', '3', '']],
  ['[{"query":"nights","equals":"3"}]', ['query', 'nights', 'equals', '"3"', '']],
  ['[{"body":"$.m","equals":18.0}]', ['body', '$.m', 'equals', '18.0', '']],
  [
    '[{"body":"$","except":["$.at","$.id"],"equals":{"a":[1]}}]',
    ['body', '$', 'equals', '{"a":[1]}', '$.at, $.id'],
  ],
  ['[{"header":"x","present":true}]', ['header', 'x', 'present', '', '']],
  ['[{"header":"x","present":false}]', ['header', 'x', 'absent', '', '']],
  ['[{"text":true,"contains":"12"}]', ['text', '', 'contains', '12', '']],
  ['[{"body":"$.n","not":{"contains":"fog"}}]', ['body', '$.n', 'not', '{"contains":"fog"}', '']],
  ['[{"query":"a","oneOf":["x",2]}]', ['query', 'a', 'oneOf', '["x",2]', '']],
  [
    '[{"body":"$.n","near":{"value":12.5,"within":0.1}}]',
    ['body', '$.n', 'near', '{"value":12.5,"within":0.1}', ''],
  ],
  ['[{"caller":"10.2.0.0/16"}]', ['caller', '10.2.0.0/16', 'present', '', '']],
  ['[{"only":"query","except":["page"]}]', ['only', 'query', 'present', '', 'page']],
])('shows %s as a row, and writes it again', (where, [part, name, test, value, except]) => {
  const rows = rowsOf(where);
  expect(rows).toEqual([{ part, name, test, value, except }]);
  expect(whereOf(rows as Item[])).toBe(where);
});

it('shows groups, in groups', () => {
  const where =
    '[{"query":"a","equals":1},\n {"any":[{"query":"b","equals":2},{"none":[{"header":"c","starts":"d"}]}]}]';
  const rows = rowsOf(where) as Item[];
  expect((rows[1] as Group).kind).toBe('any');
  expect(whereOf(rows)).toBe(where);
  expect([rowsOf(''), whereOf([])]).toEqual([[], '']);
  expect(whereOf(rowsOf('[{"query":"bare"}]') as Item[])).toBe('[{"query":"bare","present":true}]');
});

it.each([
  '[{"query": "a", ',
  '{"query": "a"}',
  '[3]',
  '[{"somewhere": "a"}]',
  '[{"query": 3}]',
  '[{"text": false}]',
  '[{"query": "a", "equals": 1, "contains": "b"}]',
  '[{"query": "a", "contains": 1}]',
  '[{"query": "a", "resembles": 1}]',
  '[{"query": "a", "absent": true}]',
  '[{"only": "query", "except": ["a,b"]}]',
  '[{"any": 3}]',
  '[{"any": [], "query": "a"}]',
])('leaves %s to the text', (where) => expect(rowsOf(where)).toBeUndefined());

it('keeps what is typed as a value', () => {
  for (const text of ['', 'w', '"3', '"3"', '3', 'true', '{"a"', '[1]'])
    expect(valueText(readValue(text))).toBe(text);
});

it('replaces one row, also in a group', () => {
  const rows = rowsOf('[{"query":"a"},{"any":[{"query":"b"},{"query":"c"}]}]') as Item[];
  const names = (items: Item[]): unknown[] =>
    items.map((item) => ('kind' in item ? names(item.rows) : item.name));
  expect(names(replaceItem(rows, [1, 0], newRow()))).toEqual(['a', ['', 'c']]);
  expect(names(replaceItem(rows, [1, 1], null))).toEqual(['a', ['b']]);
  expect(names(replaceItem(rows, [0], null))).toEqual([['b', 'c']]);
});

it.each([
  ['up', [2], [0], 'c a b(d e)'],
  ['down, before the one after the next', [0], [2], 'b(d e) a c'],
  ['to the end', [0], [3], 'b(d e) c a'],
  ['where it is', [0], [1], 'a b(d e) c'],
  ['into a group', [2], [1, 1], 'a b(d c e)'],
  ['into a group behind it', [0], [1, 0], 'b(a d e) c'],
  ['out of a group', [1, 0], [0], 'd a b(e) c'],
  ['within a group', [1, 0], [1, 2], 'a b(e d) c'],
  ['a group', [1], [3], 'a c b(d e)'],
  ['a group never into itself', [1], [1, 0], 'a b(d e) c'],
  ['what is not there', [7], [0], 'a b(d e) c'],
])('moves a condition %s', (_, from, to, want) => {
  const row = (name: string): Item => ({ ...newRow(), name });
  const items = [row('a'), { kind: 'any', rows: [row('d'), row('e')] } as Group, row('c')];
  const told = (list: Item[]): string =>
    list.map((item) => ('kind' in item ? `b(${told(item.rows)})` : item.name)).join(' ');
  expect(told(moveItem(items, from, to))).toBe(want);
});
