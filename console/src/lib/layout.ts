import { bodyLines, textOf } from './bodyLines';

/**
 * Lays out JSON over several lines without reading its values, so that numbers
 * keep every digit and objects their order. The text must be JSON.
 */
export function layoutJson(text: string): string {
  return bodyLines(text)
    .lines.map((line) => '  '.repeat(line.depth) + textOf(line))
    .join('\n');
}

/** Lays out XML over several lines. Elements that hold only text stay on one. */
export function layoutXml(text: string): string {
  const tokens = text.match(/<[^>]+>|[^<]+/g) ?? [];
  const lines: string[] = [];
  let depth = 0;
  for (let i = 0; i < tokens.length; i++) {
    const token = (tokens[i] ?? '').trim();
    const next = tokens[i + 1] ?? '';
    const third = tokens[i + 2] ?? '';
    if (!token) continue;
    const indent = '  '.repeat(depth);
    if (token.startsWith('</')) {
      depth = Math.max(0, depth - 1);
      lines.push('  '.repeat(depth) + token);
    } else if (!token.startsWith('<') || /^<[?!]/.test(token) || token.endsWith('/>')) {
      lines.push(indent + token);
    } else if (third.startsWith('</') && !next.startsWith('<')) {
      lines.push(indent + token + next.trim() + third);
      i += 2;
    } else if (next.startsWith('</')) {
      lines.push(indent + token + next);
      i += 1;
    } else {
      lines.push(indent + token);
      depth++;
    }
  }
  return lines.join('\n');
}
