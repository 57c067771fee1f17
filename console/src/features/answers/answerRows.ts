import type { Mapping, Operation } from '@/api/types';
import type { CallGroup } from './groups';

/** One line of what a service can answer. */
export type AnswerRow =
  | { kind: 'group'; key: string; title: string; count: number; folded: boolean }
  | { kind: 'missing'; key: string; group: CallGroup }
  | { kind: 'operation'; key: string; operation: Operation }
  | { kind: 'mapping'; key: string; mapping: Mapping; under: boolean };

/** Which lines are wanted. */
export interface AnswerFilter {
  /** Words that all must stand in a line; those of mappings are read by their own filter. */
  text: string;
  /** A method, '' for any. */
  method: string;
  /** What answers now, '' for anything. */
  by: '' | 'mapping' | 'contract' | 'nothing';
  /** What was noticed of it, '' for anything. */
  only: '' | 'deviating' | 'never';
}

export const anyAnswer: AnswerFilter = { text: '', method: '', by: '', only: '' };

/** By what operations stand together. */
export type Grouping = 'tag' | 'path';

interface Answers {
  operations: Operation[];
  /** All mappings, and those among them that fit the text. */
  mappings: Mapping[];
  selected: Mapping[];
  missing: CallGroup[];
}

/**
 * The lines of a service: what is missing first, then the mappings that no operation has, then the
 * operations by group, each with its mappings below it. A mapping stands once.
 */
export function answerRows(
  { operations, mappings, selected, missing }: Answers,
  filter: AnswerFilter,
  grouping: Grouping,
  folded: ReadonlySet<string>,
): AnswerRow[] {
  const rows: AnswerRow[] = [];
  const group = (key: string, title: string, members: AnswerRow[], count = members.length) => {
    if (count === 0) return;
    rows.push({ kind: 'group', key: `group ${key}`, title, count, folded: folded.has(key) });
    if (!folded.has(key)) rows.push(...members);
  };
  group(
    'missing',
    'Asked for but missing',
    missing
      .filter((one) => fitsMissing(one, filter))
      .map((one) => ({ kind: 'missing', key: `missing ${one.method} ${one.path}`, group: one })),
  );

  const chosen = new Set(selected.filter((mapping) => fitsMapping(mapping, filter)));
  const byId = new Map<string, Mapping[]>();
  for (const mapping of mappings) byId.set(mapping.id, [...(byId.get(mapping.id) ?? []), mapping]);
  const placed = new Set<Mapping>();
  const groups = new Map<string, { rows: AnswerRow[]; count: number }>();
  for (const operation of operations) {
    const own = (operation.mappedBy ?? []).flatMap((id) => byId.get(id) ?? []).filter((m) => !placed.has(m));
    for (const mapping of own) placed.add(mapping);
    const shown = own.filter((mapping) => chosen.has(mapping));
    const fits = fitsOperation(operation, filter);
    if (!fits && shown.length === 0) continue;
    const title = grouping === 'tag' ? tagOf(operation) : pathOf(operation);
    const members = groups.get(title) ?? { rows: [], count: 0 };
    groups.set(title, members);
    members.count += fits ? 1 : shown.length;
    if (fits) members.rows.push({ kind: 'operation', key: `operation ${operation.id}`, operation });
    members.rows.push(...shown.map((mapping) => mappingRow(mapping, fits)));
  }
  group(
    'mappings',
    operations.length > 0 ? 'Other mappings' : 'Mappings',
    mappings
      .filter((mapping) => chosen.has(mapping) && !placed.has(mapping))
      .map((mapping) => mappingRow(mapping, false)),
  );
  const titles = [...groups.keys()].sort((a, b) => Number(a === '') - Number(b === ''));
  for (const title of titles) {
    const members = groups.get(title);
    if (members) group(title, title || rest(titles), members.rows, members.count);
  }
  return rows;
}

/** What the operations without a group are called. */
const rest = (titles: string[]) => (titles.length > 1 ? 'Other operations' : 'Operations');

function mappingRow(mapping: Mapping, under: boolean): AnswerRow {
  return { kind: 'mapping', key: `mapping ${mapping.origin ?? ''} ${mapping.id}`, mapping, under };
}

const tagOf = (operation: Operation) => (operation.group ?? []).join(' / ');

/** The first part of a path: of /berths/{number}/bookings it is /berths. */
function pathOf({ path }: Operation): string {
  const [first = ''] = path.split('/').filter(Boolean);
  return `/${first}`;
}

function fitsOperation(operation: Operation, { text, method, by, only }: AnswerFilter): boolean {
  if (method && operation.method !== method) return false;
  if (by && answererOf(operation) !== by) return false;
  if (only === 'deviating' && !operation.calls?.deviating) return false;
  if (only === 'never' && operation.calls) return false;
  const line = [operation.id, operation.method, operation.path, operation.summary, operation.tags]
    .flat()
    .join(' ')
    .toLowerCase();
  return wordsOf(text).every((word) => line.includes(word));
}

/** What answers an operation now. */
export function answererOf(operation: Operation): AnswerFilter['by'] {
  if (operation.skipped) return 'nothing';
  return operation.mappedBy?.length ? 'mapping' : 'contract';
}

/** Whether a mapping that its text selects fits the rest of a filter, too. */
function fitsMapping(mapping: Mapping, { method, by, only }: AnswerFilter): boolean {
  const methods = [mapping.call.method ?? []].flat();
  if (method && methods.length > 0 && !methods.includes(method)) return false;
  if (by && by !== 'mapping') return false;
  if (only === 'deviating') return Boolean(mapping.deviations?.length);
  return only !== 'never' || !mapping.calls;
}

function fitsMissing(group: CallGroup, { text, method, by, only }: AnswerFilter): boolean {
  if (only || (by && by !== 'nothing') || (method && group.method !== method)) return false;
  const line = `${group.method} ${group.path}`.toLowerCase();
  return wordsOf(text).every((word) => line.includes(word));
}

const wordsOf = (text: string) => text.toLowerCase().split(/\s+/).filter(Boolean);
