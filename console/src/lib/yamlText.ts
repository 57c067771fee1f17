import { type Document, isAlias, isCollection, parseDocument, visit } from 'yaml';

/**
 * YAML as it was written: scalars are texts, so that 18.0, 01234 and yes come out as they went in,
 * and comments stay where they are.
 */
function read(text: string): Document {
  return parseDocument(text, { schema: 'failsafe', version: '1.2' });
}

/** What a document says, each scalar as its text; undefined where it cannot be told as such. */
export function plainOf(text: string): unknown {
  const document = read(text);
  let aliases = false;
  visit(document, {
    Alias: () => {
      aliases = true;
      return visit.BREAK;
    },
  });
  return document.errors.length > 0 || aliases ? undefined : document.toJS();
}

export type Value = string | string[] | Record<string, string> | undefined;

/**
 * The document with another value at a path, undefined or '' to take it out; maps and lists that
 * become empty by that go with it.
 */
export function withValue(text: string, path: string[], value: Value): string {
  const document = read(text);
  if (value === undefined || value === '' || (Array.isArray(value) && value.length === 0)) {
    if (document.hasIn(path)) document.deleteIn(path);
    prune(document, path);
  } else {
    clear(document, path);
    document.setIn(path, value);
  }
  return document.toString({ lineWidth: 0 });
}

function prune(document: Document, path: string[]) {
  for (let length = path.length - 1; length > 0; length--) {
    const node = document.getIn(path.slice(0, length), true);
    if (!isCollection(node) || node.items.length > 0) return;
    document.deleteIn(path.slice(0, length));
  }
}

/** Takes out what stands where a map is needed: "services:" with nothing behind it. */
function clear(document: Document, path: string[]) {
  for (let length = 1; length < path.length; length++) {
    const node = document.getIn(path.slice(0, length), true);
    if (node !== undefined && !isCollection(node) && !isAlias(node)) document.deleteIn(path.slice(0, length));
  }
}
