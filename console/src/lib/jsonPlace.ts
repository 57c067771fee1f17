/** Where a key of a JSON object is being written. */
export interface KeyPlace {
  /** The object that it is a key of: "vessel", "extras[]"; "" for the whole. */
  path: string;
  /** What is written of it, without the quote, and where that begins with its quote. */
  typed: string;
  from: number;
  /** The keys that the object has before it. */
  taken: string[];
}

interface Level {
  list: boolean;
  /** The key whose value is being written; undefined between members. */
  key?: string;
  keys: string[];
}

/** Where the end of a text of JSON, which need not be whole, writes a key; undefined where it does not. */
export function keyPlaceAt(text: string): KeyPlace | undefined {
  const levels: Level[] = [];
  let at = 0;
  let from = -1; // where the word begins that the text ends in
  let typed = '';
  while (at < text.length) {
    const c = text[at] ?? '';
    const top = levels.at(-1);
    if (c === '"') {
      const end = endOfString(text, at + 1);
      const word = text.slice(at + 1, end < 0 ? undefined : end);
      if (end < 0) {
        from = at;
        typed = word;
        break;
      }
      if (top && !top.list && top.key === undefined) {
        top.key = word;
        top.keys.push(word);
      }
      at = end + 1;
      continue;
    }
    if (c === '{' || c === '[') levels.push({ list: c === '[', keys: [] });
    else if (c === '}' || c === ']') levels.pop();
    else if (c === ',' && top) top.key = undefined;
    else if (/[\w$]/.test(c)) {
      const word = /^[\w$]+/.exec(text.slice(at))?.[0] ?? c;
      if (at + word.length === text.length) {
        from = at;
        typed = word;
        break;
      }
      at += word.length;
      continue;
    }
    at++;
  }
  const object = levels.at(-1);
  if (!object || object.list || object.key !== undefined) return undefined;
  return { path: pathOf(levels), typed, from: from < 0 ? text.length : from, taken: object.keys };
}

function endOfString(text: string, from: number): number {
  for (let at = from; at < text.length && text[at] !== '\n'; at++) {
    if (text[at] === '\\') at++;
    else if (text[at] === '"') return at;
  }
  return -1;
}

function pathOf(levels: Level[]): string {
  let path = '';
  for (const { list, key } of levels.slice(0, -1)) {
    if (list) path += '[]';
    else path += path ? `.${key}` : key;
  }
  return path;
}
