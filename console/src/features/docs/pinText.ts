import { isJson } from '@/lib/format';

/** Pins as they are edited: "/state = taken", one a line. */
export function pinText(pins: Record<string, unknown> | undefined): string {
  return Object.entries(pins ?? {})
    .map(
      ([pointer, value]) =>
        `${pointer} = ${typeof value === 'string' ? written(value) : JSON.stringify(value)}`,
    )
    .join('\n');
}

/** A text as it is, unless it would be read back as something else. */
function written(text: string): string {
  return text === '' || text !== text.trim() || isJson(text) ? JSON.stringify(text) : text;
}

/** Reads lines of pins: a value is JSON, else a text. Null when a line is none. */
export function parsePins(text: string): Record<string, unknown> | null {
  const pins: Record<string, unknown> = {};
  for (const line of text.split('\n')) {
    if (line.trim() === '') continue;
    const match = /^\s*(\/\S*)\s*=\s*(.+?)\s*$/.exec(line);
    if (!match?.[1] || !match[2]) return null;
    pins[match[1]] = isJson(match[2]) ? JSON.parse(match[2]) : match[2];
  }
  return pins;
}
