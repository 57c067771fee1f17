import type { ImpairmentDocument } from '@/api/types';

/** An impairment while it is written: everything is text. */
export interface ImpairmentDraft {
  latency: string;
  errors: string; // a share such as 30%
  status: string; // statuses between commas
  retryAfter: string;
  limit: string; // 60/1m
  of: string; // "" for everyone
  effect: string; // of the connection; "" for none
  line: string; // name of a line; "" for none
  outage: string; // "" for none
  outageFor: string;
  outageEvery: string;
  seed: string;
}

export const noImpairment: ImpairmentDraft = {
  latency: '',
  errors: '',
  status: '',
  retryAfter: '',
  limit: '',
  of: '',
  effect: '',
  line: '',
  outage: '',
  outageFor: '',
  outageEvery: '',
  seed: '',
};

/** Beginnings for what testers ask for most. */
export const beginnings: { word: string; draft: Partial<ImpairmentDraft> }[] = [
  { word: 'Slow', draft: { latency: '800ms..3s' } },
  { word: 'Failing', draft: { errors: '30%', status: '503, 500' } },
  { word: 'Throttling', draft: { limit: '10/1m', of: 'caller' } },
  { word: 'Dead', draft: { outage: 'drop' } },
  { word: 'Cut off', draft: { effect: 'cut-body' } },
];

const words = (text: string) => text.split(/[\s,]+/).filter(Boolean);

/** The document of a draft; what is wrong with it the service says. */
export function documentOf(draft: ImpairmentDraft): ImpairmentDocument {
  const document: ImpairmentDocument = {};
  if (draft.latency.trim()) document.latency = latencyOf(draft.latency);
  const statuses = words(draft.status).map(Number);
  if (draft.errors.trim() || statuses.length || draft.retryAfter.trim()) {
    document.errors = {
      ...(draft.errors.trim() ? { rate: draft.errors.trim() } : {}),
      ...(statuses.length ? { status: statuses } : {}),
      ...(draft.retryAfter.trim() ? { retryAfter: draft.retryAfter.trim() } : {}),
    };
  }
  if (draft.limit.trim()) {
    const [calls = '', per = ''] = draft.limit.split('/');
    document.limit = { calls: Number(calls), per: per.trim(), ...(draft.of ? { of: draft.of } : {}) };
  }
  if (draft.effect || draft.line) {
    document.connection = {
      ...(draft.effect ? { effect: draft.effect as never } : {}),
      ...(draft.line ? { line: draft.line } : {}),
    };
  }
  if (draft.outage) {
    document.outage = {
      as: draft.outage,
      ...(draft.outageFor.trim() ? { for: draft.outageFor.trim() } : {}),
      ...(draft.outageEvery.trim() ? { every: draft.outageEvery.trim() } : {}),
    };
  }
  if (draft.seed.trim()) document.seed = Number(draft.seed);
  return document;
}

/** The latency that a text means: 250ms, 200ms..900ms or p50=80ms,p99=900ms. */
export function latencyOf(text: string): string | { p50: string; p99: string } {
  const shaped = /^p50=([^,]+),\s*p99=(.+)$/.exec(text.trim());
  return shaped ? { p50: shaped[1]?.trim() ?? '', p99: shaped[2]?.trim() ?? '' } : text.trim();
}

/** The draft of what is switched on; othersOf has what the form does not show. */
export function draftOf(document: ImpairmentDocument): ImpairmentDraft {
  const { latency, errors, limit, connection, outage, seed } = document;
  const shaped = typeof latency === 'object' ? `p50=${latency.p50},p99=${latency.p99}` : (latency ?? '');
  const status = errors?.status;
  const statuses =
    typeof status === 'object' && !Array.isArray(status) ? Object.keys(status) : [status ?? []].flat();
  const held = typeof connection === 'string' ? { effect: connection } : connection;
  return {
    latency: shaped,
    errors: errors?.rate ?? '',
    status: statuses.join(', '),
    retryAfter: errors?.retryAfter ?? '',
    limit: limit?.calls ? `${limit.calls}/${limit.per}` : '',
    of: limit?.of ?? '',
    effect: held?.effect ?? '',
    line: held && 'line' in held ? (held.line ?? '') : '',
    outage: outage?.as ?? '',
    outageFor: outage?.for ?? '',
    outageEvery: outage?.every ?? '',
    seed: seed === undefined ? '' : String(seed),
  };
}

type Section = 'errors' | 'limit' | 'connection' | 'outage';

/** The keys of each section that the form shows. */
const shown: Record<Section, string[]> = {
  errors: ['rate', 'status', 'retryAfter'],
  limit: ['calls', 'per', 'of'],
  connection: ['effect', 'line'],
  outage: ['as', 'for', 'every'],
};

const sections = Object.keys(shown) as Section[];

/** What a document says beside what the form shows, such as weights of statuses. */
export type Others = Partial<Record<Section, Record<string, unknown>>>;

export function othersOf(document: ImpairmentDocument): Others {
  const others: Others = {};
  for (const section of sections) {
    const said = document[section];
    if (typeof said !== 'object') continue;
    const rest = Object.entries(said).filter(
      ([key, value]) => !shown[section].includes(key) || (key === 'status' && isWeighted(value)),
    );
    if (rest.length > 0) others[section] = Object.fromEntries(rest);
  }
  return others;
}

function isWeighted(status: unknown): status is Record<string, number> {
  return typeof status === 'object' && status !== null && !Array.isArray(status);
}

/** The document of a draft with what the form does not show. */
export function withOthers(document: ImpairmentDocument, others: Others): ImpairmentDocument {
  const whole: Record<string, unknown> = { ...document };
  for (const section of sections) {
    const rest = others[section];
    if (!rest) continue;
    const said = document[section];
    const own: Record<string, unknown> = typeof said === 'object' ? { ...said } : {};
    const { status } = own;
    if (Array.isArray(status) && isWeighted(rest.status)) {
      const same = status.map(String).sort().join() === Object.keys(rest.status).sort().join();
      if (same) delete own.status;
    }
    whole[section] = { ...rest, ...own };
  }
  return whole as ImpairmentDocument;
}

/** What the form does not show, in words: "errors next 3". */
export function othersText(others: Others): string {
  return sections
    .flatMap((section) =>
      Object.entries(others[section] ?? {}).map(
        ([key, value]) => `${section} ${key} ${JSON.stringify(value)}`,
      ),
    )
    .join(', ');
}

const flags: [keyof ImpairmentDraft, string][] = [
  ['latency', '--latency'],
  ['errors', '--error-rate'],
  ['status', '--error-status'],
  ['retryAfter', '--retry-after'],
  ['limit', '--limit'],
  ['of', '--of'],
  ['effect', '--connection'],
  ['line', '--line'],
  ['outage', '--outage'],
  ['outageFor', '--for'],
  ['outageEvery', '--every'],
  ['seed', '--seed'],
];

/** The command that does the same. */
export function commandOf(service: string, operation: string, draft: ImpairmentDraft, lane = ''): string {
  const given = flags
    .filter(([key]) => draft[key].trim())
    .map(([key, flag]) => `${flag} ${draft[key].replaceAll(', ', ',')}`);
  return [
    'rapidmimic impair set',
    service,
    operation && `--operation ${operation}`,
    ...given,
    lane && `--lane ${lane}`,
  ]
    .filter(Boolean)
    .join(' ');
}
