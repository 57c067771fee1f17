import type { Call } from '@/api/types';

/** What could be typed next, and what the filter would be then. */
export interface Suggestion {
  /** What is added: `status:` or `status:5xx`. */
  word: string;
  /** What it means; '' where the word says it. */
  means: string;
  /** The whole filter with it. */
  text: string;
}

const keys: [key: string, means: string][] = [
  ['service:', 'only calls to a service'],
  ['operation:', 'only calls for an operation'],
  ['source:', 'who answered'],
  ['status:', '404, 5xx, or none'],
  ['method:', 'GET, POST …'],
  ['path:', 'within the service; * stands for a part'],
  ['took:', '>200ms or <1s'],
  ['body:', 'a text in request or answer'],
  ['lane:', 'only calls in a lane'],
  ['scenario:', 'only calls under a scenario'],
  ['impaired:', 'latency, errors, limit …'],
  ['host:', 'a part of the host'],
  ['agent:', 'a part of the User-Agent'],
  ['trace:', 'the id that traceparent names'],
  ['label:', 'of the mapping that answered'],
  ['deviates', 'only calls that break the contract'],
  ['or', 'either what stands before or after it'],
];

const most = 10;
/** How many of the newest calls are looked through for values. */
const lookedAt = 2_000;

/** What fits the word that is being typed at the end of a filter. */
export function suggestionsFor(text: string, calls: Call[]): Suggestion[] {
  const [, before = '', not = '', word = ''] = /^(.*?)(-?)([^\s"]*)$/s.exec(text) ?? [];
  if (before && !/\s$/.test(before)) return []; // within quotes
  const whole = (added: string) => `${before}${not}${added}${added.endsWith(':') ? '' : ' '}`;
  const [, key, value = ''] = /^([a-z]+:)(.*)$/.exec(word) ?? [];
  if (!key) {
    return keys
      .filter(([name]) => name.startsWith(word.toLowerCase()) && name !== word)
      .map(([name, means]) => ({ word: name, means, text: whole(name) }));
  }
  const values = valuesOf(key, calls).filter(
    (one) => one.toLowerCase().includes(value.toLowerCase()) && one !== value,
  );
  return values.slice(0, most).map((one) => {
    const added = key + (/[\s"]/.test(one) ? `"${one.replaceAll('"', '')}"` : one);
    return { word: added, means: '', text: whole(added) };
  });
}

const fixed: Record<string, string[]> = {
  'status:': ['2xx', '3xx', '4xx', '5xx', 'none'],
  'took:': ['>100ms', '>500ms', '>1s', '<10ms'],
};

const read: Record<string, (call: Call) => (string | undefined)[]> = {
  'service:': (call) => [call.service],
  'operation:': (call) => [call.operation],
  'source:': (call) => [call.source],
  'status:': (call) => [call.status ? String(call.status) : undefined],
  'method:': (call) => [call.method],
  'path:': (call) => [call.path],
  'lane:': (call) => [call.lane],
  'scenario:': (call) => [call.scenario],
  'impaired:': (call) => call.impaired ?? [],
  'host:': (call) => [call.host],
  'agent:': (call) => [call.agent],
  'trace:': (call) => [call.trace],
};

/** The values of a key that calls have: the most frequent first, after those that are always there. */
function valuesOf(key: string, calls: Call[]): string[] {
  const counts = new Map<string, number>();
  const of = read[key];
  for (const call of of ? calls.slice(0, lookedAt) : []) {
    for (const value of of?.(call) ?? []) {
      if (value) counts.set(value, (counts.get(value) ?? 0) + 1);
    }
  }
  const seen = [...counts].sort(([, a], [, b]) => b - a).map(([value]) => value);
  return [...new Set([...(fixed[key] ?? []), ...seen])];
}
