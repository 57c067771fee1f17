/** What a piece of a line is, for its colour. */
export type Tone = 'name' | 'text' | 'number' | 'word' | 'plain';

/** A line of a body that is laid out. */
export interface BodyLine {
  depth: number;
  pieces: [text: string, tone: Tone][];
  /** The line at which what begins here ends; its own where nothing can be folded. */
  end: number;
  /** What stands for the rest of it when it is folded. */
  folded?: string;
  /** The line of what it is in, -1 for none. */
  parent: number;
  /** Its name, its place in a list, or the step of its XPath; none for a line that only closes. */
  step?: string | number;
  /** The value that stands there alone, as it is written: a literal of JSON, or the text of an element. */
  value?: string;
}

/** A body line by line, and how its places are named. */
export interface Body {
  notation: 'json' | 'xml' | 'text';
  lines: BodyLine[];
}

/** Lays out a body line by line: JSON and XML by their structure, anything else as it is. */
export function bodyLines(body: string): Body {
  const json = /^\s*[{[]/.test(body) ? jsonLines(body) : undefined;
  if (json) return { notation: 'json', lines: json };
  const xml = /^\s*</.test(body) ? xmlLines(body) : undefined;
  return xml ? { notation: 'xml', lines: xml } : textLines(body);
}

/** How long a piece of a line may be; a body without line breaks is cut into such. */
const pieceLength = 4_000;

/** A body as it came, line by line. */
export function textLines(body: string): Body {
  const lines: BodyLine[] = [];
  for (const line of body.split('\n')) {
    for (let at = 0; at === 0 || at < line.length; at += pieceLength) {
      const text = line.slice(at, at + pieceLength);
      lines.push({ depth: 0, pieces: [[text, 'plain']], end: lines.length, parent: -1 });
    }
  }
  return { notation: 'text', lines };
}

/** The lines of JSON, none where it is not whole; values are not read, so that numbers keep every digit. */
function jsonLines(text: string): BodyLine[] | undefined {
  try {
    JSON.parse(text);
  } catch {
    return undefined;
  }
  const lines: BodyLine[] = [];
  const open: number[] = []; // lines of what is open
  const counts: number[] = []; // of their elements
  let name: string | undefined;
  for (const [token] of text.matchAll(/"(?:[^"\\]|\\.)*"|[[\]{}:,]|[^\s[\]{}:,"]+/g)) {
    const parent = open.at(-1) ?? -1;
    const last = lines.at(-1);
    if (token === ',') {
      last?.pieces.push([',', 'plain']);
    } else if (token === ':') {
    } else if (token === '}' || token === ']') {
      const first = lines[parent];
      open.pop();
      const n = counts.pop() ?? 0;
      if (!first) return undefined;
      if (n === 0) {
        first.pieces.push([token, 'plain']);
        first.value = token === '}' ? '{}' : '[]';
      } else {
        first.end = lines.length;
        first.folded = `${n} ${token === '}' ? 'field' : 'element'}${n === 1 ? '' : 's'} ${token}`;
        lines.push({
          depth: first.depth,
          pieces: [[token, 'plain']],
          end: lines.length,
          parent: first.parent,
        });
      }
    } else if (isName(lines, parent) && name === undefined) {
      name = token;
    } else {
      const at = counts.length - 1;
      const step = name === undefined ? (counts[at] ?? 0) : (JSON.parse(name) as string);
      if (at >= 0) counts[at] = (counts[at] ?? 0) + 1;
      const line: BodyLine = {
        depth: open.length,
        pieces: [],
        end: lines.length,
        parent,
        step: at < 0 ? '$' : step,
      };
      if (name !== undefined) line.pieces.push([name, 'name'], [': ', 'plain']);
      name = undefined;
      line.pieces.push([token, toneOf(token)]);
      if (token === '{' || token === '[') {
        open.push(lines.length);
        counts.push(0);
      } else {
        line.value = token;
      }
      lines.push(line);
    }
  }
  return lines;
}

/** Whether what stands at a line is an object, which has names before its values. */
const isName = (lines: BodyLine[], parent: number) => lines[parent]?.pieces.some(([text]) => text === '{');

function toneOf(token: string): Tone {
  if (token.startsWith('"')) return 'text';
  if (/^[-\d]/.test(token)) return 'number';
  return /^[tfn]/.test(token) ? 'word' : 'plain';
}

/** The lines of XML, none where it is not well-formed. */
function xmlLines(text: string): BodyLine[] | undefined {
  const document = new DOMParser().parseFromString(text.trim(), 'application/xml');
  if (document.querySelector('parsererror')) return undefined;
  const lines: BodyLine[] = [];
  const push = (line: Omit<BodyLine, 'end'>) => {
    lines.push({ ...line, end: lines.length });
    return lines.length - 1;
  };
  const declaration = /^\s*(<\?xml[^>]*\?>)/.exec(text)?.[1];
  if (declaration) push({ depth: 0, pieces: [[declaration, 'plain']], parent: -1 });
  const walk = (element: Element, depth: number, parent: number, step: string) => {
    const start: BodyLine['pieces'] = [
      ['<', 'plain'],
      [element.tagName, 'name'],
    ];
    for (const { name, value } of element.attributes) {
      start.push([` ${name}=`, 'plain'], [`"${escaped(value).replaceAll('"', '&quot;')}"`, 'text']);
    }
    const end: BodyLine['pieces'] = [
      ['</', 'plain'],
      [element.tagName, 'name'],
      ['>', 'plain'],
    ];
    const content = [...element.childNodes].filter(
      (node) => node.nodeType !== Node.TEXT_NODE || node.nodeValue?.trim(),
    );
    if (content.every(isText)) {
      const value = (element.textContent ?? '').trim();
      const pieces: BodyLine['pieces'] = value
        ? [...start, ['>', 'plain'], [content.map(serialized).join(''), 'text'], ...end]
        : [...start, ['/>', 'plain']];
      push({ depth, pieces, parent, step, value });
      return;
    }
    const at = push({ depth, pieces: [...start, ['>', 'plain']], parent, step });
    const steps = stepsBelow(element);
    for (const node of content) {
      if (node instanceof Element) walk(node, depth + 1, at, steps.shift() ?? '');
      else push({ depth: depth + 1, pieces: [[serialized(node), 'text']], parent: at });
    }
    const first = lines[at] as BodyLine;
    first.end = push({ depth, pieces: end, parent });
    first.folded = `… </${element.tagName}>`;
  };
  walk(document.documentElement, 0, -1, document.documentElement.localName);
  return lines;
}

const escaped = (text: string) =>
  text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;');

const isText = ({ nodeType }: ChildNode) =>
  nodeType === Node.TEXT_NODE || nodeType === Node.CDATA_SECTION_NODE;

const serialized = (node: ChildNode) => new XMLSerializer().serializeToString(node).trim();

/** The steps of an XPath to what is in an element: local names, with places where a name is there again. */
function stepsBelow(element: Element): string[] {
  const names = [...element.children].map((child) => child.localName);
  const all = new Map<string, number>();
  for (const name of names) all.set(name, (all.get(name) ?? 0) + 1);
  const seen = new Map<string, number>();
  return names.map((name) => {
    if (all.get(name) === 1) return name;
    const place = (seen.get(name) ?? 0) + 1;
    seen.set(name, place);
    return `${name}[${place}]`;
  });
}

/** Where a line stands: a JSONPath or an XPath, '' for nowhere. */
export function pathOf({ notation, lines }: Body, at: number): string {
  const steps = stepsOf(lines, at);
  if (steps.length === 0) return '';
  if (notation === 'xml') return `/${steps.join('/')}`;
  return steps.map((step, i) => (i === 0 ? '$' : member(step))).join('');
}

/** Where a line of JSON stands, as a JSON Pointer. */
export function pointerOf({ lines }: Body, at: number): string {
  return stepsOf(lines, at)
    .slice(1)
    .map((step) => `/${String(step).replaceAll('~', '~0').replaceAll('/', '~1')}`)
    .join('');
}

function stepsOf(lines: BodyLine[], at: number): (string | number)[] {
  const steps: (string | number)[] = [];
  for (let line = lines[at]; line; line = lines[line.parent]) {
    if (line.step === undefined) return [];
    steps.unshift(line.step);
  }
  return steps;
}

const plainName = /^[A-Za-z_][A-Za-z0-9_]*$/;

/** A step of a JSONPath: .name, ['two words'], [3]. */
export function member(step: string | number): string {
  if (typeof step === 'number') return `[${step}]`;
  if (plainName.test(step)) return `.${step}`;
  const escapes: Record<string, string> = { '\n': '\\n', '\r': '\\r', '\t': '\\t' };
  return `['${step.replace(/[\\'\n\r\t]/g, (sign) => escapes[sign] ?? `\\${sign}`)}']`;
}

/** The lines that are shown where some are folded. */
export function shownLines(lines: BodyLine[], folded: ReadonlySet<number>): number[] {
  const shown: number[] = [];
  for (let at = 0; at < lines.length; at++) {
    shown.push(at);
    if (folded.has(at)) at = lines[at]?.end ?? at;
  }
  return shown;
}

/** A line as text. */
export const textOf = (line: BodyLine) => line.pieces.map(([text]) => text).join('');

/** The lines with some text in them, whatever its case. */
export function findLines(lines: BodyLine[], wanted: string): number[] {
  const lower = wanted.toLowerCase();
  if (lower === '') return [];
  return lines.flatMap((line, at) => (textOf(line).toLowerCase().includes(lower) ? [at] : []));
}

/** The lines that a line is in. */
export function linesAround(lines: BodyLine[], at: number): number[] {
  const around: number[] = [];
  for (let parent = lines[at]?.parent ?? -1; parent >= 0; parent = lines[parent]?.parent ?? -1)
    around.push(parent);
  return around;
}
