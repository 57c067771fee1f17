import { expect, it } from 'vitest';
import type { Mapping, Operation } from '@/api/types';
import { type AnswerFilter, answerRows, anyAnswer, type Grouping } from './answerRows';
import type { CallGroup } from './groups';

const operation = (id: string, method: string, path: string, change: Partial<Operation> = {}): Operation => ({
  id,
  method,
  path,
  protocol: 'http',
  ...change,
});

const mapping = (id: string, call: Mapping['call'], change: Partial<Mapping> = {}) =>
  ({ id, call, answer: {}, enabled: true, rank: 0, ...change }) as Mapping;

const missing = { method: 'GET', path: '/bertsh', count: 3 } as CallGroup;

const operations = [
  operation('getDues', 'GET', '/dues'),
  operation('listBerths', 'GET', '/berths', { group: ['Berths'], mappedBy: ['full', 'half'] }),
  operation('bookBerth', 'POST', '/berths/{number}/bookings', {
    group: ['Berths', 'Bookings'],
    calls: { total: 4, deviating: 1 } as Operation['calls'],
  }),
  operation('openGate', 'PUT', '/gates/{id}', { group: ['Berths'], skipped: 'no response' }),
];
const mappings = [
  mapping('full', { method: 'GET', path: '/berths' }),
  mapping('half', { path: '/berths' }, { calls: { total: 1 } as Mapping['calls'] }),
  mapping('fog', { method: ['GET', 'POST'], path: '/fog' }, { deviations: [{}] as Mapping['deviations'] }),
];

/** The lines as words: a group with its count, a mapping below its operation after a dash. */
function lines(filter: Partial<AnswerFilter>, grouping: Grouping = 'tag', folded: string[] = []): string[] {
  const text = filter.text ?? '';
  const selected = mappings.filter(({ id }) => id.includes(text));
  return answerRows(
    { operations, mappings, selected, missing: [missing] },
    { ...anyAnswer, ...filter },
    grouping,
    new Set(folded),
  ).map((row) => {
    if (row.kind === 'group') return `${row.title} ${row.count}`;
    if (row.kind === 'missing') return row.group.path;
    return row.kind === 'operation' ? row.operation.id : `${row.under ? '- ' : ''}${row.mapping.id}`;
  });
}

const gap = ['Asked for but missing 1', '/bertsh'];

it('shows what is missing, then mappings without an operation, then operations with theirs', () => {
  expect(lines({})).toEqual([
    ...gap,
    'Other mappings 1',
    'fog',
    'Berths 2',
    'listBerths',
    '- full',
    '- half',
    'openGate',
    'Berths / Bookings 1',
    'bookBerth',
    'Other operations 1',
    'getDues',
  ]);
  expect(lines({}, 'path', ['mappings', '/berths'])).toEqual([
    ...gap,
    'Other mappings 1',
    '/dues 1',
    'getDues',
    '/berths 2',
    '/gates 1',
    'openGate',
  ]);
});

it.each<[Partial<AnswerFilter>, string[]]>([
  [{ text: 'GETDUES' }, ['Operations 1', 'getDues']],
  [{ text: 'berths get' }, ['Berths 1', 'listBerths']],
  [{ text: 'half' }, ['Berths 1', 'half']],
  [{ text: 'bertsh' }, gap],
  [{ method: 'POST' }, ['Other mappings 1', 'fog', 'Berths 1', 'half', 'Berths / Bookings 1', 'bookBerth']],
  [{ by: 'mapping' }, ['Other mappings 1', 'fog', 'Berths 1', 'listBerths', '- full', '- half']],
  [{ by: 'contract' }, ['Berths / Bookings 1', 'bookBerth', 'Other operations 1', 'getDues']],
  [{ by: 'nothing' }, [...gap, 'Berths 1', 'openGate']],
  [{ only: 'deviating' }, ['Other mappings 1', 'fog', 'Berths / Bookings 1', 'bookBerth']],
  [
    { only: 'never' },
    [
      'Other mappings 1',
      'fog',
      'Berths 2',
      'listBerths',
      '- full',
      'openGate',
      'Other operations 1',
      'getDues',
    ],
  ],
  [{ text: 'nothing of the kind' }, []],
])('%j selects', (filter, expected) => expect(lines(filter)).toEqual(expected));
