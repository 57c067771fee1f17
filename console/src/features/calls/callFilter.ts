import { noLane } from '@/api/myLane';
import type { Call } from '@/api/types';
import { targetOf } from '@/lib/target';

const lines = new WeakMap<Call, string>();

/** The text of a call that filters search; the service searches the same. */
function line(call: Call): string {
  let text = lines.get(call);
  if (text === undefined) {
    text =
      `${call.lane ? `lane:${call.lane} ` : ''}${call.method} ${targetOf(call)} ${call.status} ${call.source} ${call.by ?? ''}${call.operation ? ` operation:${call.operation}` : ''}${(call.impaired ?? []).map((kind) => ` impaired:${kind}`).join('')}${call.deviations ? ' deviates' : ''}${call.scenario ? ` scenario:${call.scenario}` : ''}${call.agent ? ` ${call.agent}` : ''}`.toLowerCase();
    lines.set(call, text);
  }
  return text;
}

type Test = (call: Call) => boolean;

/** What a text asks of calls. */
export interface Wanted {
  /** One of these must hold; none asks for nothing. */
  choices: Test[][];
  /** It asks for what stands in bodies, which only the service can tell. */
  inBodies: boolean;
}

/** A word, as the service cuts a text: -key:"value", with or without each part. */
const words = /(-(?=\S))?(?:([a-z]+):)?(?:"([^"]*)"?|(\S*))/y;

/** Keys that stand in the line of a call as they are. */
const lineKeys = ['lane', 'operation', 'impaired', 'scenario'];

/**
 * Reads the text of a filter, as the service does. What a keyed word cannot mean fits no call; the
 * service says why.
 */
export function wantedOf(text: string): Wanted {
  const wanted: Wanted = { choices: [[]], inBodies: false };
  let rest = text.trimStart();
  while (rest) {
    words.lastIndex = 0;
    const [whole = rest, not, key = '', quoted, plain = ''] = words.exec(rest) ?? [];
    rest = rest.slice(whole.length).trimStart();
    const value = quoted ?? plain;
    if (!not && !key && quoted === undefined && plain.toLowerCase() === 'or') {
      wanted.choices.push([]);
      continue;
    }
    if (key === 'body' && value) wanted.inBodies = true;
    const test = testOf(key, value);
    if (test) wanted.choices.at(-1)?.push(not ? (call) => !test(call) : test);
  }
  wanted.choices = wanted.choices.filter((choice) => choice.length > 0);
  if (wanted.inBodies) wanted.choices = []; // the service has looked at the words, too
  return wanted;
}

/** What one word asks; undefined while it is being typed. */
function testOf(key: string, value: string): Test | undefined {
  if (!key || lineKeys.includes(key)) {
    const part = (key ? `${key}:${value}` : value).toLowerCase();
    return part ? (call) => line(call).includes(part) : undefined;
  }
  return value || !(key in keys) ? keyed(key, value) : undefined;
}

/** What a keyed word asks, its value in lower case. */
const keys: Record<string, (value: string) => Test> = {
  body: () => () => true,
  service: (value) => (call) => call.service.toLowerCase() === value,
  method: (value) => (call) => call.method.toLowerCase() === value,
  source: (value) => (call) => call.source === value,
  cause: (value) => (call) => call.cause === value,
  host: (value) => (call) => call.host.toLowerCase().includes(value),
  agent: (value) => (call) => (call.agent ?? '').toLowerCase().includes(value),
  trace: (value) => (call) => (call.trace ?? '').startsWith(value),
  path: pathTest,
  label: () => () => false,
  status: statusTest,
  took: tookTest,
};

function keyed(key: string, value: string): Test {
  return keys[key]?.(value.toLowerCase()) ?? (() => false);
}

/** A path within the service, in which * stands for what is between two slashes. */
function pathTest(pattern: string): Test {
  const source = pattern.replace(/\\(.)|[*?]|[.+^${}()|\]\\[]/g, (part, escaped?: string) => {
    if (part === '*') return '[^/]*';
    if (part === '?') return '[^/]';
    return `\\${escaped ?? part}`;
  });
  const fits = new RegExp(`^${source}$`, 'i');
  return (call) => fits.test(call.path);
}

/** 503, 5xx, or none. */
function statusTest(value: string): Test {
  if (value === 'none') return (call) => call.status === 0;
  if (/^\dxx$/.test(value)) return (call) => Math.floor(call.status / 100) === Number(value[0]);
  return (call) => call.status === Number(value);
}

const units: Record<string, number> = { us: 0.001, ms: 1, s: 1_000, m: 60_000, h: 3_600_000 };

/** >200ms, <1s, or >1m30s. */
function tookTest(value: string): Test {
  const [, sign, length] = /^([<>])((?:[\d.]+(?:us|ms|[smh]))+)$/.exec(value) ?? [];
  const parts = [...(length ?? '').matchAll(/([\d.]+)(us|ms|[smh])/g)];
  const than = length
    ? parts.reduce((sum, [, number, unit = '']) => sum + Number(number) * (units[unit] ?? 0), 0)
    : Number.NaN;
  return sign === '>' ? (call) => call.tookMs > than : (call) => call.tookMs < than;
}

/** Among which calls one looks, whatever the text of the filter says. */
export interface CallScope {
  /** Those of a lane; '' or none for all. */
  lane?: string;
  /** Those of a service, likewise. */
  service?: string;
  /** Those that came in a time, in milliseconds since 1970: from is in it, to is not. */
  time?: { from: number; to: number };
}

/** Selects the calls within a scope that a text asks for. */
export function filterCalls(calls: Call[], { choices }: Wanted, scope: CallScope = {}): Call[] {
  const { lane, service, time } = scope;
  if (choices.length === 0 && !lane && !service && !time) return calls;
  const of = lane === noLane ? '' : lane;
  const wanted = (call: Call) =>
    choices.length === 0 || choices.some((choice) => choice.every((test) => test(call)));
  const within = (call: Call) => {
    if (!time) return true;
    const at = Date.parse(call.at);
    return at >= time.from && at < time.to;
  };
  return calls.filter(
    (call) =>
      (!service || call.service === service) &&
      (!lane || (call.lane ?? '') === of) &&
      within(call) &&
      wanted(call),
  );
}

/** Calls are numbered in hexadecimal: c-81f3. */
export function callNumber(call: Call): number {
  return Number.parseInt(call.id.slice(2), 16);
}

/**
 * Merges two lists of calls, each the newest first, into one without repeats
 * that holds at most limit calls.
 */
export function mergeCalls(a: Call[], b: Call[], limit: number): Call[] {
  const merged: Call[] = [];
  let i = 0;
  let j = 0;
  while (merged.length < limit && (i < a.length || j < b.length)) {
    const x = a[i];
    const y = b[j];
    if (x && y && x.id === y.id) {
      merged.push(x);
      i++;
      j++;
    } else if (x && (!y || callNumber(x) > callNumber(y))) {
      merged.push(x);
      i++;
    } else if (y) {
      merged.push(y);
      j++;
    }
  }
  return merged;
}

/** Adds calls in the order of their arrival to a list that is newest first. */
export function addCalls(list: Call[], arrived: Call[], limit: number): Call[] {
  const newest = [...arrived].sort((a, b) => callNumber(b) - callNumber(a));
  const last = newest.at(-1);
  const first = list[0];
  if (last && (!first || callNumber(last) > callNumber(first))) {
    return newest.concat(list).slice(0, limit);
  }
  return mergeCalls(newest, list, limit);
}
