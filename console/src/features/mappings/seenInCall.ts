import type { CallDetail } from '@/api/types';
import { bodyLines, pathOf } from '@/lib/bodyLines';
import { readValue, valueText } from '@/lib/valueText';
import type { Part } from './conditionRows';

/** What a call has, by part and name, as a condition would have it. */
export type Seen = Partial<Record<Part, Map<string, string>>>;

/** How many fields of a body are offered. */
const mostFields = 300;

export function seenInCall({ query, request }: Pick<CallDetail, 'query' | 'request'>): Seen {
  const header = (name: string) => request.headers.find(([one]) => one?.toLowerCase() === name)?.[1] ?? '';
  const seen: Seen = {
    query: new Map([...new URLSearchParams(query ?? '')].map(([name, value]) => [name, valueText(value)])),
    header: new Map(request.headers.map(([name = '', value = '']) => [name.toLowerCase(), valueText(value)])),
    cookie: new Map(
      header('cookie')
        .split(';')
        .map((pair) => pair.trim().split('='))
        .flatMap(([name = '', ...value]) => (name ? [[name, valueText(value.join('='))]] : [])),
    ),
  };
  if (request.encoding !== 'text' || request.truncated) return seen;
  if (header('content-type').startsWith('application/x-www-form-urlencoded')) {
    seen.form = new Map(
      [...new URLSearchParams(request.body)].map(([name, value]) => [name, valueText(value)]),
    );
    return seen;
  }
  const body = bodyLines(request.body);
  if (body.notation === 'text') return seen;
  const fields = new Map<string, string>();
  for (let at = 0; at < body.lines.length && fields.size < mostFields; at++) {
    const value = body.lines[at]?.value;
    if (value !== undefined)
      fields.set(pathOf(body, at), valueText(body.notation === 'json' ? readValue(value) : value));
  }
  seen[body.notation === 'json' ? 'body' : 'xml'] = fields;
  return seen;
}

/** A name that an expression can have, and what it stands for in a call. */
export interface SeenName {
  name: string;
  value: string;
}

const plain = /^[A-Za-z_]\w*$/;

/** The names by which an expression finds what a call has, its path taken apart by a template. */
export function seenNames(
  call: Pick<CallDetail, 'path' | 'query' | 'request'>,
  template: string,
): SeenName[] {
  const seen = seenInCall(call);
  const names: SeenName[] = [];
  const segments = call.path.split('/');
  template.split('/').forEach((segment, i) => {
    const name = /^\{(\w+)\}$/.exec(segment)?.[1];
    if (name && segments[i]) names.push({ name: `call.path.${name}`, value: valueText(segments[i]) });
  });
  for (const [of, values] of [
    ['call.query', seen.query],
    ['call.headers', seen.header],
    ['call.cookies', seen.cookie],
  ] as const) {
    for (const [name, value] of values ?? [])
      names.push({ name: plain.test(name) ? `${of}.${name}` : `${of}[${JSON.stringify(name)}]`, value });
  }
  for (const [path, value] of seen.body ?? []) {
    const steps = path.replace(/^\$\.?/, '');
    if (steps) names.push({ name: `call.body.${steps}`, value });
  }
  return names;
}
