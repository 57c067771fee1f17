import { parseExact, writeExact } from '@/lib/exactJson';
import { readValue, valueText } from '@/lib/valueText';

/** What a condition looks at. */
export type Part = (typeof parts)[number][0];

/** The parts of a call, in words, and what their names are; none where a part has no name. */
export const parts = [
  ['query', 'query', 'name of a parameter'],
  ['header', 'header', 'name of a header'],
  ['body', 'body', '$.path in JSON'],
  ['xml', 'XML', '//path in XML'],
  ['form', 'form', 'name of a field'],
  ['cookie', 'cookie', 'name of a cookie'],
  ['part', 'part', 'name of a part'],
  ['text', 'body as text', ''],
  ['graphql', 'GraphQL', 'type, name or field'],
  ['caller', 'caller', 'address or range: 10.2.0.0/16'],
  ['only', 'nothing else in', 'query, header, form or part'],
] as const;

/** The tests, in words, and what their values are: any JSON, a text, or none. */
export const tests = [
  ['equals', 'equals', 'json'],
  ['not', 'is not', 'json'],
  ['contains', 'contains', 'text'],
  ['starts', 'starts with', 'text'],
  ['ends', 'ends with', 'text'],
  ['pattern', 'matches', 'text'],
  ['present', 'is there', 'none'],
  ['absent', 'is not there', 'none'],
  ['above', 'is above', 'json'],
  ['below', 'is below', 'json'],
  ['oneOf', 'is one of', 'json'],
  ['includes', 'includes', 'json'],
  ['type', 'is of type', 'text'],
  ['length', 'has the length', 'json'],
  ['before', 'is before', 'text'],
  ['after', 'is after', 'text'],
  ['near', 'is near', 'json'],
  ['count', 'occurs', 'json'],
  ['schema', 'meets the schema', 'json'],
  ['digest', 'has the digest', 'text'],
] as const;

export type Test = (typeof tests)[number][0];

export type GroupKind = 'all' | 'any' | 'none';

/** One condition, as a form shows it: everything is text. */
export interface Row {
  part: Part;
  /** '' of a body as text. */
  name: string;
  test: Test;
  value: string;
  /** What does not count, between commas: names, or paths into the value. */
  except: string;
}

/** Conditions of which all, at least one, or none must hold. */
export interface Group {
  kind: GroupKind;
  rows: Item[];
}

export type Item = Row | Group;

export const isGroup = (item: Item): item is Group => 'kind' in item;

export const newRow = (): Row => ({ part: 'query', name: '', test: 'equals', value: '', except: '' });

/** Parts that take no test. */
export const testless = (part: Part) => part === 'caller' || part === 'only';

/** The conditions of a text as rows; undefined where it is no JSON, or says what rows cannot. */
export function rowsOf(where: string): Item[] | undefined {
  if (where.trim() === '') return [];
  let list: unknown;
  try {
    list = parseExact(where);
  } catch {
    return undefined;
  }
  return itemsOf(list);
}

function itemsOf(list: unknown): Item[] | undefined {
  if (!Array.isArray(list)) return undefined;
  const items = list.map(itemOf);
  return items.every((item) => item !== undefined) ? items : undefined;
}

function itemOf(value: unknown): Item | undefined {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return undefined;
  const condition = value as Record<string, unknown>;
  const keys = Object.keys(condition);
  const [kind] = keys;
  if (keys.length === 1 && (kind === 'all' || kind === 'any' || kind === 'none')) {
    const rows = itemsOf(condition[kind]);
    return rows && { kind, rows };
  }
  return rowOf(condition, keys);
}

function rowOf(condition: Record<string, unknown>, keys: string[]): Row | undefined {
  const part = parts.find(([id]) => id in condition)?.[0];
  if (!part) return undefined;
  const name = part === 'text' ? '' : condition[part];
  const except = condition.except ?? [];
  const others = keys.filter((key) => key !== part && key !== 'except');
  const [test = 'present'] = others;
  if (typeof name !== 'string' || (part === 'text' && condition.text !== true)) return undefined;
  if (!Array.isArray(except) || !except.every((one) => typeof one === 'string' && !one.includes(',')))
    return undefined;
  const row = { part, name, except: except.join(', ') };
  if (others.length > 1 || !(test === 'present' || kindOf(test))) return undefined;
  if (others.length === 0) return { ...row, test: 'present', value: '' };
  const value = condition[test];
  if (test === 'present') return { ...row, test: value === false ? 'absent' : 'present', value: '' };
  if (kindOf(test) === 'json') return { ...row, test: test as Test, value: valueText(value) };
  return typeof value === 'string' ? { ...row, test: test as Test, value } : undefined;
}

/** What the value of a test is; '' where there is no such test. */
export function kindOf(test: string): 'json' | 'text' | 'none' | '' {
  return tests.find(([id]) => id === test && id !== 'absent')?.[2] ?? (test === 'absent' ? 'none' : '');
}

/** The conditions of rows as JSON, '' for none. */
export function whereOf(items: Item[]): string {
  if (items.length === 0) return '';
  return `[${items.map((item) => writeExact(conditionOf(item))).join(',\n ')}]`;
}

function conditionOf(item: Item): unknown {
  if (isGroup(item)) return { [item.kind]: item.rows.map(conditionOf) };
  const { part, name, test, value } = item;
  const condition: Record<string, unknown> = { [part]: part === 'text' ? true : name };
  const except = item.except
    .split(',')
    .map((one) => one.trim())
    .filter(Boolean);
  if (except.length > 0) condition.except = except;
  if (testless(part)) return condition;
  if (test === 'present' || test === 'absent') condition.present = test === 'present';
  else condition[test] = kindOf(test) === 'json' ? readValue(value) : value;
  return condition;
}

/** The rows with one of them, by the places that lead to it, replaced; taken out by null. */
export function replaceItem(items: Item[], [at = 0, ...rest]: number[], next: Item | null): Item[] {
  return items.flatMap((item, i) => {
    if (i !== at) return [item];
    if (rest.length === 0) return next ? [next] : [];
    return isGroup(item) ? [{ ...item, rows: replaceItem(item.rows, rest, next) }] : [item];
  });
}

function itemAt(items: Item[], [at = 0, ...rest]: number[]): Item | undefined {
  const item = items[at];
  if (rest.length === 0 || !item) return item;
  return isGroup(item) ? itemAt(item.rows, rest) : undefined;
}

function insertItem(items: Item[], [at = 0, ...rest]: number[], item: Item): Item[] {
  if (rest.length === 0) return [...items.slice(0, at), item, ...items.slice(at)];
  return items.map((one, i) =>
    i === at && isGroup(one) ? { ...one, rows: insertItem(one.rows, rest, item) } : one,
  );
}

/** The rows with one of them, by the places that lead to it, moved before another place; a group never into itself. */
export function moveItem(items: Item[], from: number[], to: number[]): Item[] {
  const item = itemAt(items, from);
  if (!item || from.every((step, i) => step === to[i])) return items;
  const last = from.length - 1;
  const goal = [...to];
  const beside = from.slice(0, last).every((step, i) => step === goal[i]);
  if (beside && (goal[last] ?? 0) > (from[last] ?? 0)) goal[last] = (goal[last] ?? 0) - 1; // it leaves its place
  return insertItem(replaceItem(items, from, null), goal, item);
}
