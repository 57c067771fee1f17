import type { Completion, CompletionContext, CompletionResult } from '@codemirror/autocomplete';
import { keyPlaceAt } from '@/lib/jsonPlace';

/** A field of a document, as a contract has it: "vessel.name", "extras[].kind". */
export interface KnownField {
  name: string;
  type?: string;
  required?: boolean;
  rules?: string[];
  description?: string;
}

/** A text longer than this is not completed: it is read from its beginning each time. */
const longest = 200_000;

/** The keys that could stand at the end of a text of JSON; null where none does. */
export function keysFor(
  before: string,
  fields: KnownField[],
): { from: number; options: Completion[] } | null {
  const place = before.length > longest ? undefined : keyPlaceAt(before);
  if (!place) return null;
  const within = place.path ? `${place.path}.` : '';
  const options = fields.flatMap((field): Completion[] => {
    const key = field.name.slice(within.length);
    if (!field.name.startsWith(within) || key === '' || /[.[]/.test(key) || place.taken.includes(key))
      return [];
    return [
      {
        label: key,
        apply: `"${key}": ${beginningOf(field)}`,
        type: 'property',
        detail: [field.type, field.required && 'required'].filter(Boolean).join(', '),
        info: [field.description, ...(field.rules ?? [])].filter(Boolean).join('\n') || undefined,
        boost: field.required ? 1 : 0,
      },
    ];
  });
  return options.length > 0 ? { from: place.from, options } : null;
}

/** What a field begins with. */
function beginningOf({ type = '' }: KnownField): string {
  if (/^array/.test(type)) return '[]';
  if (/^string/.test(type)) return '""';
  if (/^boolean/.test(type)) return 'false';
  if (/^(integer|number)/.test(type)) return '0';
  return '{}';
}

/** Completes the keys of a document of JSON. */
export function fieldSource(fields: KnownField[]) {
  return ({ state, pos, explicit }: CompletionContext): CompletionResult | null => {
    const found = keysFor(state.sliceDoc(0, pos), fields);
    if (!found || (found.from === pos && !explicit)) return null;
    const quoted = state.sliceDoc(found.from, found.from + 1) === '"';
    const closes = quoted && state.sliceDoc(pos, pos + 1) === '"'; // which the editor has written
    return {
      from: found.from,
      to: closes ? pos + 1 : pos,
      // what is typed begins with its quote, and so do the words that it is held against
      options: found.options.map((o) => (quoted ? { ...o, label: `"${o.label}"` } : o)),
      validFor: /^"?[\w$-]*$/,
    };
  };
}
