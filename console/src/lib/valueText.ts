import { parseExact, writeExact } from './exactJson';
import { isJson } from './format';

/** A value as it is edited, in one line: a text as it is, unless it would be read back as something else. */
export function valueText(value: unknown): string {
  return typeof value === 'string' && !isJson(value) ? value : writeExact(value);
}

/** What was written as a value: JSON where it is some, else a text. */
export function readValue(text: string): unknown {
  try {
    return parseExact(text);
  } catch {
    return text;
  }
}

/** The JSON of a value that was written so. */
export function valueJSON(text: string): string {
  return isJson(text) ? text : JSON.stringify(text);
}
