/** An expression as it stands in a text. */
export interface Placed {
  /** What is between ${ and }, without the escapes of a string around it. */
  expression: string;
  /** Where ${ begins and where } ends. */
  from: number;
  to: number;
}

/** The expressions of a text, in their order. One that is not closed is none, and $${ begins none. */
export function expressionsIn(text: string): Placed[] {
  const found: Placed[] = [];
  for (let at = text.indexOf('${'); at >= 0; at = text.indexOf('${', at + 2)) {
    if (text[at - 1] === '$') continue;
    const end = endOf(text, at + 2);
    if (end < 0) continue;
    found.push({ expression: unescaped(text.slice(at + 2, end)), from: at, to: end + 1 });
    at = end - 1;
  }
  return found;
}

/** Where the } is that closes what begins here, braces and texts within left out; -1 for nowhere. */
function endOf(text: string, begin: number): number {
  let depth = 0;
  let quote = '';
  for (let at = begin; at < text.length; at++) {
    const c = text[at] ?? '';
    if (c === '\n') return -1;
    if (quote) {
      if (c === '\\' && text[at + 1] !== quote) at++;
      else if (c === quote) quote = '';
    } else if (c === '"' || c === "'") {
      quote = c;
    } else if (c === '{') {
      depth++;
    } else if (c === '}') {
      if (depth === 0) return at;
      depth--;
    }
  }
  return -1;
}

const unescaped = (expression: string) => expression.replace(/\\(["\\])/g, '$1').trim();
