import { writeExact } from '@/lib/exactJson';

/**
 * A value of a document in one line of text: a text as it is, unless it could be taken for another
 * value, everything else as JSON.
 */
export function valueText(value: unknown): string {
  return typeof value === 'string' && !isJSON(value) ? value : writeExact(value);
}

/** The JSON of a value that was written so. */
export function valueJSON(text: string): string {
  return isJSON(text) ? text : JSON.stringify(text);
}

function isJSON(text: string): boolean {
  try {
    JSON.parse(text);
    return true;
  } catch {
    return false;
  }
}
