import type { CallDetail } from '@/api/types';
import { bodyLines, pathOf } from '@/lib/bodyLines';
import { jsonText, type Part, readJson } from './conditionRows';

/** What a call has, by part and name, as a condition would have it. */
export type Seen = Partial<Record<Part, Map<string, string>>>;

/** How many fields of a body are offered. */
const mostFields = 300;

export function seenInCall({ query, request }: Pick<CallDetail, 'query' | 'request'>): Seen {
  const header = (name: string) => request.headers.find(([one]) => one?.toLowerCase() === name)?.[1] ?? '';
  const seen: Seen = {
    query: new Map([...new URLSearchParams(query ?? '')].map(([name, value]) => [name, jsonText(value)])),
    header: new Map(request.headers.map(([name = '', value = '']) => [name.toLowerCase(), jsonText(value)])),
    cookie: new Map(
      header('cookie')
        .split(';')
        .map((pair) => pair.trim().split('='))
        .flatMap(([name = '', ...value]) => (name ? [[name, jsonText(value.join('='))]] : [])),
    ),
  };
  if (request.encoding !== 'text' || request.truncated) return seen;
  if (header('content-type').startsWith('application/x-www-form-urlencoded')) {
    seen.form = new Map(
      [...new URLSearchParams(request.body)].map(([name, value]) => [name, jsonText(value)]),
    );
    return seen;
  }
  const body = bodyLines(request.body);
  if (body.notation === 'text') return seen;
  const fields = new Map<string, string>();
  for (let at = 0; at < body.lines.length && fields.size < mostFields; at++) {
    const value = body.lines[at]?.value;
    if (value !== undefined)
      fields.set(pathOf(body, at), jsonText(body.notation === 'json' ? readJson(value) : value));
  }
  seen[body.notation === 'json' ? 'body' : 'xml'] = fields;
  return seen;
}
