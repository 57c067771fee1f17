import type { BodyField } from '@/ui/BodyView';

/** The filter that finds the calls in whose bodies the value of a field stands; '' where none can. */
export function queryOfField({ value = '', notation }: BodyField): string {
  const text = notation === 'json' && value.startsWith('"') ? (JSON.parse(value) as string) : value;
  if (text === '' || text.includes('"') || /^[[{]/.test(text)) return '';
  return `body:${/[\s-]/.test(text) ? `"${text}"` : text}`;
}

/** The condition that a field has the value that it has, as JSON; '' where it has no single one. */
export function conditionOfField({ value, notation, path }: BodyField): string {
  if (value === undefined || (notation === 'json' && /^[[{]/.test(value))) return '';
  return notation === 'json'
    ? `[{"body": ${JSON.stringify(path)}, "equals": ${value}}]`
    : `[${JSON.stringify({ xml: path, equals: value })}]`;
}
