import { stringify } from 'yaml';
import type { ImpairmentDocument } from '@/api/types';
import { word } from '@/lib/shell';
import { plainOf, type Value, withValue } from '@/lib/yamlText';
import { latencyOf } from './latency';

/** What the form shows of an impairment's document: everything is text, '' for nothing. */
export interface Fields {
  latency: string;
  errors: string; // a share such as 30%, or next 3, every 5, first 2
  status: string; // 503, 429, or by weight 503=3, 429=1
  retryAfter: string;
  limit: string; // 60/1m
  inFlight: string; // how many calls at once
  of: string; // "" for everyone
  effect: string; // of the connection; "" for none
  effectRate: string; // of how many calls; "" for all
  line: string; // name of a line; "" for none
  outage: string; // "" for none
  outageFor: string;
  outageEvery: string;
  seed: string;
}

/** Beginnings for what testers ask for most. */
export const beginnings: { word: string; fields: Partial<Fields> }[] = [
  { word: 'Slow', fields: { latency: '800ms..3s' } },
  { word: 'Failing', fields: { errors: '30%', status: '503, 500' } },
  { word: 'Throttling', fields: { limit: '10/1m', of: 'caller' } },
  { word: 'Dead', fields: { outage: 'drop' } },
  { word: 'Cut off', fields: { effect: 'cut-body' } },
];

/** The document of what is switched on; '' for nothing. */
export function textOf(document?: ImpairmentDocument): string {
  return document ? stringify(document, { lineWidth: 0 }) : '';
}

/** How a document says which calls get errors, and how the form and the command do. */
const which = ['rate', 'next', 'every', 'first'] as const;
type Which = (typeof which)[number];

type Plain = {
  latency?: string | { p50?: string; p99?: string; measured?: object };
  errors?: Partial<Record<Which, string>> & {
    status?: string | string[] | Record<string, string>;
    retryAfter?: string;
  };
  limit?: { calls?: string; per?: string; inFlight?: string; of?: string };
  connection?: string | { effect?: string; rate?: string; line?: string };
  outage?: { as?: string; for?: string; every?: string };
  seed?: string;
};

const isMap = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** Reads a document for the form; undefined where a form cannot show it. */
export function fieldsOf(text: string): Fields | undefined {
  const plain = text.trim() ? (plainOf(text) ?? undefined) : {};
  if (!isMap(plain)) return undefined;
  const { latency, errors, limit, connection, outage, seed } = plain as Plain;
  for (const part of [errors, limit, outage]) if (part !== undefined && !isMap(part)) return undefined;
  const status = errors?.status;
  const statuses = isMap(status)
    ? Object.entries(status).map(([code, weight]) => `${code}=${weight}`)
    : [status ?? []].flat();
  const held = typeof connection === 'string' ? { effect: connection } : connection;
  return {
    latency: latencyText(latency),
    errors: errorsText(errors),
    status: statuses.join(', '),
    retryAfter: errors?.retryAfter ?? '',
    limit: [limit?.calls, limit?.per].filter(Boolean).join('/'),
    inFlight: limit?.inFlight ?? '',
    of: limit?.of ?? '',
    effect: held?.effect ?? '',
    effectRate: held && 'rate' in held ? (held.rate ?? '') : '',
    line: held && 'line' in held ? (held.line ?? '') : '',
    outage: outage?.as ?? '',
    outageFor: outage?.for ?? '',
    outageEvery: outage?.every ?? '',
    seed: seed ?? '',
  };
}

/** Where each field stands in a document. */
const places: Record<keyof Fields, string[]> = {
  latency: ['latency'],
  errors: ['errors', 'rate'],
  status: ['errors', 'status'],
  retryAfter: ['errors', 'retryAfter'],
  limit: ['limit', 'calls'],
  inFlight: ['limit', 'inFlight'],
  of: ['limit', 'of'],
  effect: ['connection', 'effect'],
  effectRate: ['connection', 'rate'],
  line: ['connection', 'line'],
  outage: ['outage', 'as'],
  outageFor: ['outage', 'for'],
  outageEvery: ['outage', 'every'],
  seed: ['seed'],
};

/** The document with one field changed; what the form does not show stays as it is. */
export function withField(text: string, field: keyof Fields, typed: string): string {
  const value = typed.trim();
  switch (field) {
    case 'latency':
      return withValue(text, places.latency, value && latencyOf(value));
    case 'errors': {
      const [, kind = 'rate', number = value] = /^(next|every|first)\s+(\S+)$/.exec(value) ?? [];
      const given = (plainOf(text) as Plain | null | undefined)?.errors ?? {};
      const others = which.filter((one) => one in given && one !== kind);
      const set = number || kind in given ? withValue(text, ['errors', kind], number) : text;
      return others.reduce((next, one) => withValue(next, ['errors', one], ''), set);
    }
    case 'status':
      return withValue(text, places.status, statusOf(value));
    case 'limit': {
      const [calls = '', per = ''] = value.split('/').map((part) => part.trim());
      return withValue(withValue(text, ['limit', 'calls'], calls), ['limit', 'per'], per);
    }
    case 'line':
    case 'effectRate': {
      const effect = fieldsOf(text)?.effect; // which may stand there alone
      const whole = effect ? withValue(text, places.effect, effect) : text;
      return withValue(whole, places[field], value);
    }
    default:
      if (field === 'outage' && !value) return withValue(text, ['outage'], '');
      return withValue(text, places[field], value);
  }
}

export function withFields(text: string, fields: Partial<Fields>): string {
  return Object.entries(fields).reduce(
    (next, [field, value]) => withField(next, field as keyof Fields, value),
    text,
  );
}

/** Which calls get errors, in words: 30%, next 3, every 5, first 2. */
function errorsText(errors: Plain['errors']): string {
  const kind = which.find((one) => errors?.[one]);
  if (!kind || !errors) return '';
  return kind === 'rate' ? (errors.rate ?? '') : `${kind} ${errors[kind]}`;
}

/** What stands in the field: what was measured is too long for it. */
function latencyText(latency: Plain['latency']): string {
  if (typeof latency !== 'object') return latency ?? '';
  return latency.measured ? 'recorded' : `p50=${latency.p50},p99=${latency.p99}`;
}

function statusOf(text: string): Value {
  const words = text.split(/[\s,]+/).filter(Boolean);
  if (!words.some((word) => word.includes('='))) return words;
  return Object.fromEntries(
    words.map((word) => {
      const [code = '', weight = '1'] = word.split('=');
      return [code, weight];
    }),
  );
}

const besides = ['limit per', ...which.map((one) => `errors ${one}`)];

/** What a document says beside what the form shows: "errors next". */
export function othersOf(text: string): string[] {
  const plain = plainOf(text);
  if (!isMap(plain)) return [];
  const shown = [...Object.values(places).map((place) => place.join(' ')), ...besides];
  return Object.entries(plain)
    .flatMap(([section, said]) =>
      isMap(said) && section !== 'latency' ? Object.keys(said).map((key) => `${section} ${key}`) : [section],
    )
    .filter((place) => !shown.includes(place) && place !== 'connection');
}

/** Whether a document switches nothing on. */
export function isEmpty(text: string): boolean {
  const plain = plainOf(text);
  return isMap(plain) ? Object.keys(plain).every((key) => key === 'seed') : plain !== undefined;
}

const flags: [keyof Fields, string][] = [
  ['latency', '--latency'],
  ['errors', '--error-rate'],
  ['status', '--error-status'],
  ['retryAfter', '--retry-after'],
  ['limit', '--limit'],
  ['inFlight', '--in-flight'],
  ['of', '--of'],
  ['effect', '--connection'],
  ['effectRate', '--connection-rate'],
  ['line', '--line'],
  ['outage', '--outage'],
  ['outageFor', '--for'],
  ['outageEvery', '--every'],
  ['seed', '--seed'],
];

function flagOf(key: keyof Fields, flag: string, value: string): string {
  const [, kind, number] = /^(next|every|first) (\S+)$/.exec(value) ?? [];
  return key === 'errors' && kind && number ? `--error-${kind} ${number}` : `${flag} ${word(value)}`;
}

/** The command that does the same; with a file where flags do not say it all. */
export function commandOf(service: string, operation: string, text: string, lane = ''): string {
  const fields = fieldsOf(text);
  const given =
    fields && othersOf(text).length === 0
      ? flags
          .filter(([key]) => fields[key])
          .map(([key, flag]) => flagOf(key, flag, fields[key].replaceAll(', ', ',')))
      : ['--file impairment.yaml'];
  return [
    'rapidmimic impair set',
    word(service),
    operation && `--operation ${word(operation)}`,
    ...given,
    lane && `--lane ${word(lane)}`,
  ]
    .filter(Boolean)
    .join(' ');
}
