/** Header lines as they are edited: "Name: value", one a line. */
export function headerText(headers: string[][] | undefined): string {
  return (headers ?? []).map(([name, value]) => `${name}: ${value}`).join('\n');
}

/** Reads header lines; null when a line has no colon. */
export function parseHeaders(text: string): string[][] | null {
  const lines = text.split('\n').filter((line) => line.trim() !== '');
  const headers = lines.map((line) => {
    const colon = line.indexOf(':');
    return colon < 1 ? null : [line.slice(0, colon).trim(), line.slice(colon + 1).trim()];
  });
  return headers.every((header) => header !== null) ? (headers as string[][]) : null;
}
