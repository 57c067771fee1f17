import { member } from '@/lib/bodyLines';

/** How many fields of one answer are offered. */
const mostFields = 200;

/**
 * The fields of a document as paths, each before what is in it: $, $.pier, $.berths, $.berths[*].state.
 * Elements of a list are one field, as far as the first of them has it.
 */
export function fieldPaths(document: unknown): string[] {
  const paths: string[] = [];
  const walk = (value: unknown, path: string) => {
    if (paths.length === mostFields) return;
    paths.push(path);
    if (Array.isArray(value)) {
      if (value.length > 0) walk(value[0], `${path}[*]`);
    } else if (typeof value === 'object' && value !== null) {
      for (const [name, inside] of Object.entries(value)) walk(inside, path + member(name));
    }
  };
  walk(document, '$');
  return paths;
}
