import type { Mapping } from '@/api/types';

/** The words that a filter of mappings knows, beside plain text. */
export const troubled = 'problem:';
const label = 'label:';

/** Which mappings a filter selects: every word must fit. */
export function selectMappings(mappings: Mapping[], filter: string): Mapping[] {
  const words = filter.toLowerCase().split(/\s+/).filter(Boolean);
  return mappings.filter((mapping) => words.every((word) => fits(mapping, word)));
}

function fits(mapping: Mapping, word: string): boolean {
  if (word === troubled) {
    return Boolean(mapping.problem || mapping.deviations?.length || (mapping.enabled && !mapping.calls));
  }
  if (word.startsWith(label)) {
    return (mapping.labels ?? []).some((l) => l.toLowerCase() === word.slice(label.length));
  }
  return searched(mapping).includes(word);
}

function searched({ id, title, call, labels }: Mapping): string {
  return [id, title, call.method, call.path, call.operation, labels].flat().join(' ').toLowerCase();
}
