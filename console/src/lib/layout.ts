/**
 * Lays out JSON over several lines without reading its values, so that numbers
 * keep every digit and objects their order. The text must be JSON.
 */
export function layoutJson(text: string): string {
  let out = '';
  let depth = 0;
  const line = () => `\n${'  '.repeat(depth)}`;
  const tokens = text.match(/"(?:[^"\\]|\\.)*"|[[\]{}:,]|[^\s[\]{}:,"]+/g) ?? [];
  tokens.forEach((token, i) => {
    const opens = token === '{' || token === '[';
    const closes = token === '}' || token === ']';
    const before = tokens[i - 1];
    const wasOpen = before === '{' || before === '[';
    if (closes) {
      depth--;
      out += wasOpen ? token : line() + token;
    } else if (token === ':') {
      out += ': ';
    } else if (token === ',') {
      out += ',';
    } else {
      out += before && before !== ':' ? line() + token : token;
      if (opens) depth++;
    }
  });
  return out;
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
