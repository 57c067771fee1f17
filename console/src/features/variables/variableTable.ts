import type { Variables } from '@/api/types';
import { valueText } from '@/lib/valueText';

/** What a document says of a variable: a value, or that it is a secret. */
export type Said = unknown;

/** The variables that an environment or a service sets: by name, and by set and name. */
export interface Table {
  variables?: Record<string, Said>;
  variableSets?: Record<string, Record<string, Said>>;
}

export function isSecret(said: Said): boolean {
  return typeof said === 'object' && said !== null && (said as { secret?: unknown }).secret === true;
}

/** A value as it is typed: JSON, or a text that reads as none. */
export function textOf(said: Said): string {
  if (isSecret(said) || said === undefined) return '';
  return valueText(said);
}

/** The names of all variables of a table, in their order. */
export function namesOf({ variables = {}, variableSets = {} }: Table): string[] {
  const names = new Set([
    ...Object.keys(variables),
    ...Object.values(variableSets).flatMap((set) => Object.keys(set)),
  ]);
  return [...names].sort((a, b) => (a < b ? -1 : 1));
}

/** The sets that a table can have variables in: its own, and those that there are elsewhere. */
export function setsOf(table: Table, elsewhere: Variables['sets']): string[] {
  return [...new Set([...Object.keys(table.variableSets ?? {}), ...elsewhere])].sort();
}

/** What a table says of a variable, in a set or with '' in none. */
export function saidOf(table: Table, set: string, name: string): Said {
  return (set ? table.variableSets?.[set] : table.variables)?.[name];
}

interface Step {
  op: 'add' | 'remove';
  path: string;
  value?: unknown;
}

/** The JSON Patch that sets a variable, or with undefined takes it away. */
export function patchOf(table: Table, set: string, name: string, said: Said): Step[] {
  const steps: Step[] = [];
  const within = set ? ['variableSets', set] : ['variables'];
  let path = '';
  let have: unknown = table;
  for (const key of within) {
    path += `/${escaped(key)}`;
    have = (have as Record<string, unknown> | undefined)?.[key];
    if (have === undefined && said !== undefined) steps.push({ op: 'add', path, value: {} });
  }
  const at = `${path}/${escaped(name)}`;
  if (said !== undefined) return [...steps, { op: 'add', path: at, value: said }];
  const alone = set && Object.keys((have as object | undefined) ?? {}).length === 1;
  return [{ op: 'remove', path: alone ? path : at }]; // a set without variables is none
}

/** A part of a JSON Pointer (RFC 6901). */
function escaped(key: string): string {
  return key.replaceAll('~', '~0').replaceAll('/', '~1');
}
