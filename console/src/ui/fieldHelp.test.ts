import { expect, it } from 'vitest';
import { keysFor } from './fieldHelp';

const fields = [
  { name: 'number', type: 'string', required: true, description: 'Of the berth', rules: ['^[NSW]'] },
  { name: 'lengthMetres', type: 'number' },
  { name: 'free', type: 'boolean' },
  { name: 'vessel', type: 'Vessel' },
  { name: 'vessel.name', type: 'string' },
  { name: 'extras', type: 'array of Extra' },
  { name: 'extras[].kind', type: 'string' },
];
const applied = (before: string) => keysFor(before, fields)?.options.map(({ apply }) => apply);

it.each([
  ['{"', ['"number": ""', '"lengthMetres": 0', '"free": false', '"vessel": {}', '"extras": []']],
  ['{"number": "N7", "free": true, "vessel": {}, "extras": [], ', ['"lengthMetres": 0']],
  ['{"vessel": {"na', ['"name": ""']],
  ['{"extras": [{"', ['"kind": ""']],
])('%j can go on', (before, want) => expect(applied(before)).toEqual(want));

it('says what a key is for, and nothing where no key stands', () => {
  const [number] = keysFor('{', fields)?.options ?? [];
  expect([number?.label, number?.detail, number?.info]).toEqual([
    'number',
    'string, required',
    'Of the berth\n^[NSW]',
  ]);
  for (const before of ['{"number": "', '[', '{"harbour": {"']) expect(keysFor(before, fields)).toBeNull();
});
