import type { CallDetail, Mapping, MappingDocument, Operation } from '@/api/types';
import { writeExact } from '@/lib/exactJson';
import { pretty } from '@/lib/format';
import { queryConditions } from './callProposal';

/** A mapping while it is being written: everything is text until it is saved. */
export interface MappingDraft {
  id: string;
  title: string;
  labels: string; // words between commas or spaces
  enabled: boolean;
  rank: number;
  method: string; // "" for any
  path: string; // "" where the operation alone says what is meant
  operation: string; // "" unless one is named
  where: string; // JSON; "" for no conditions
  when: string; // an expression; "" for none
  status: string; // a number, or an expression
  headers: { key: number; name: string; value: string }[];
  kind:
    | 'json'
    | 'text'
    | 'xml'
    | 'base64'
    | 'payload'
    | 'redirect'
    | 'fault'
    | 'contract'
    | 'upstream'
    | 'none';
  body: string; // of a fault, its detail; from the upstream, the steps of its edit
  payload: string; // name of a payload of the service
  redirect: string; // where to
  faultCode: string;
  faultText: string;
  example: string; // of the contract; "" for data drawn from it
  impair: string; // JSON: trouble that goes with every answer; "" for none
  send: string; // JSON: steps that edit the request to the upstream; "" for none
  recorded: string; // JSON: how a recorded answer came; "" for none
}

let lastKey = 0;

/** Headers get a key of their own: they move while they are edited. */
export function headerLine(name = '', value = '') {
  return { key: ++lastKey, name, value };
}

export function emptyDraft(): MappingDraft {
  return {
    id: '',
    title: '',
    labels: '',
    enabled: true,
    rank: 0,
    method: 'GET',
    path: '/',
    operation: '',
    where: '',
    when: '',
    status: '200',
    headers: [],
    kind: 'json',
    body: '{}',
    payload: '',
    redirect: '',
    faultCode: 'Server',
    faultText: '',
    example: '',
    send: '',
    impair: '',
    recorded: '',
  };
}

export function draftOf(mapping: MappingDocument): MappingDraft {
  const { call } = mapping;
  const answer = mapping.answer ?? { status: 200 };
  const method = Array.isArray(call.method) ? call.method.join(', ') : (call.method ?? '');
  return {
    ...emptyDraft(),
    id: mapping.id,
    title: mapping.title ?? '',
    labels: (mapping.labels ?? []).join(', '),
    enabled: mapping.enabled,
    rank: mapping.rank,
    method,
    path: call.path ?? '',
    operation: call.operation ?? '',
    where: call.where ? writeExact(call.where, 2) : '',
    when: call.if ?? '',
    impair: mapping.impair ? writeExact(mapping.impair, 2) : '',
    status: String(answer.status ?? 200),
    headers: ((answer.headers ?? []) as Record<string, string>[]).flatMap((h) =>
      Object.entries(h).map(([name, value]) => headerLine(name, value)),
    ),
    recorded: answer.recorded ? writeExact(answer.recorded) : '',
    ...bodyOf(answer),
  };
}

type Body = Pick<MappingDraft, 'kind' | 'body'> & Partial<MappingDraft>;

function bodyOf(answer: NonNullable<MappingDocument['answer']>): Body {
  if (answer.text !== undefined) return { kind: 'text', body: answer.text };
  if (answer.xml !== undefined) return { kind: 'xml', body: answer.xml };
  if (answer.base64 !== undefined) return { kind: 'base64', body: answer.base64 };
  if (answer.payload) return { kind: 'payload', body: '', payload: answer.payload };
  if (answer.redirect) return { kind: 'redirect', body: '', redirect: answer.redirect };
  if (answer.fault) {
    const { code, text, detail } = answer.fault;
    return { kind: 'fault', body: detail ?? '', faultCode: code, faultText: text };
  }
  if (answer.example || answer.generate) return { kind: 'contract', body: '', example: answer.example ?? '' };
  if (answer.from) {
    const steps = (of?: unknown[]) => (of?.length ? writeExact(of, 2) : '');
    return { kind: 'upstream', body: steps(answer.edit), send: steps(answer.send) };
  }
  if ('json' in answer) return { kind: 'json', body: writeExact(answer.json, 2) };
  return { kind: 'none', body: '' };
}

/** Why the form would lose part of what a mapping answers, or "". */
export function beyondForm({ answer, flow }: Pick<MappingDocument, 'answer' | 'flow'>): string {
  if (!answer) return 'The form shows a single answer; several stay a document';
  if (flow || answer.remember) return 'The form has nothing that is remembered: it stays a document';
  if (answer.callbacks) return 'The form has no callbacks: it stays a document';
  if (answer.script) return 'The form has no scripts: it stays a document';
  if (answer.let) return 'The form has no names of values (let): it stays a document';
  if (answer.with || (answer.from && answer.from !== 'upstream')) {
    return 'The form cannot show what an answer starts from: it stays a document';
  }
  return '';
}

/** Starts from what an operation answers. */
export function draftOfOperation(operation: Operation): MappingDraft {
  const json = operation.mediaType?.includes('json') ?? false;
  const xml = operation.mediaType?.includes('xml') ?? false;
  const headers =
    operation.mediaType && operation.mediaType !== 'application/json' && !operation.byMessage
      ? [headerLine('Content-Type', operation.mediaType)]
      : [];
  return {
    ...emptyDraft(),
    id: operation.id,
    title: operation.summary ?? '',
    method: operation.byMessage ? '' : operation.method,
    path: operation.byMessage ? '' : operation.path,
    operation: operation.byMessage ? operation.id : '',
    status: String(operation.status ?? 200),
    headers,
    kind: operation.sample ? (json ? 'json' : xml ? 'xml' : 'text') : 'none',
    body: operation.sample ? literal(pretty(operation.sample)) : '',
  };
}

/** A text that stands for itself where expressions may stand. */
function literal(text: string): string {
  return text.split('${').join('$${');
}

/** Header lines that belong to one answer only, or follow from its body. */
const notKept = /^(content-length|content-type|access-control-.*|vary|date|rapid-mimic)$/i;

/** Starts from what a call asked for and, unless it was missed, what it got. */
/** What a mapping that answers a call starts with, with more conditions, as JSON, than its query gives. */
export function draftOfCall(call: CallDetail, more = ''): MappingDraft {
  const where = [queryConditions(call.query ?? ''), more]
    .filter(Boolean)
    .join('\n')
    .replace(/\]\n\[/, ',\n ');
  const draft = { ...emptyDraft(), method: call.method, path: call.path, where };
  if (call.source === 'miss') return draft;
  const type = call.answer.headers.find(([name]) => name?.toLowerCase() === 'content-type')?.[1] ?? '';
  const json = type.includes('json');
  const xml = type.includes('xml');
  const headers = call.answer.headers
    .filter(([name = '']) => !notKept.test(name))
    .map(([name, value = '']) => headerLine(name, literal(value)));
  if (type && type !== 'application/json') headers.unshift(headerLine('Content-Type', type));
  const body = call.answer.encoding === 'text' ? call.answer.body : '';
  return {
    ...draft,
    status: String(call.status),
    headers,
    kind: body ? (json ? 'json' : xml ? 'xml' : 'text') : 'none',
    body: literal(json || xml ? pretty(body) : body),
  };
}

export type Faults = Partial<Record<'id' | 'path' | 'where' | 'status' | 'body' | 'impair', string>>;

/** What keeps a draft from being saved; nothing when it may be. */
export function faultsOf(draft: MappingDraft): Faults {
  const faults: Faults = {};
  if (draft.id && !/^[A-Za-z0-9][A-Za-z0-9._-]{0,127}$/.test(draft.id)) {
    faults.id = 'Letters, digits, . _ and - only';
  }
  if (!draft.path.startsWith('/') && !(draft.path === '' && draft.operation)) {
    faults.path = 'A path begins with /';
  }
  if (draft.where.trim()) {
    const wrong = jsonFault(draft.where);
    if (wrong || !draft.where.trim().startsWith('[')) faults.where = wrong || 'A list of conditions, in JSON';
  }
  if (draft.impair.trim() && jsonFault(draft.impair)) faults.impair = jsonFault(draft.impair);
  const status = Number(draft.status);
  if (!isExpression(draft.status) && (!Number.isInteger(status) || status < 200 || status > 999)) {
    faults.status = 'A number from 200 to 999, or ${…}';
  }
  if (draft.kind === 'payload' && !draft.payload) faults.body = 'Choose a payload';
  if (draft.kind === 'redirect' && !draft.redirect.trim()) faults.body = 'Say where to';
  if (draft.kind === 'redirect' && !isExpression(draft.status) && (status < 300 || status > 399)) {
    faults.status = 'A redirect has 300 to 399';
  }
  if (draft.kind === 'json') {
    const wrong = jsonFault(draft.body);
    if (wrong) faults.body = wrong;
  }
  if (draft.kind === 'upstream') return { ...faults, ...stepFaults(draft) };
  if (draft.kind !== 'none' && (status === 204 || status === 304)) {
    faults.body = `An answer with status ${status} cannot have a body`;
  }
  return faults;
}

/** What is wrong with the edits of what the upstream is asked and answers. */
function stepFaults(draft: MappingDraft): Faults {
  for (const steps of [draft.body, draft.send]) {
    if (!steps.trim()) continue;
    const wrong = jsonFault(steps);
    if (wrong || !steps.trim().startsWith('[')) return { body: wrong || 'A list of steps, in JSON' };
  }
  return {};
}

function isExpression(text: string): boolean {
  return text.trim().startsWith('${');
}

/** Whether two drafts say the same; large bodies are compared, not written out. */
export function sameDraft(a: MappingDraft, b: MappingDraft): boolean {
  const { headers: ours, ...mine } = a;
  const { headers: theirs, ...other } = b;
  return (
    Object.entries(mine).every(([key, value]) => value === other[key as keyof typeof other]) &&
    ours.length === theirs.length &&
    ours.every((header, i) => header.name === theirs[i]?.name && header.value === theirs[i]?.value)
  );
}

/** What is wrong with a text that should be JSON, or "". */
export function jsonFault(text: string): string {
  try {
    JSON.parse(text);
    return '';
  } catch (error) {
    return `Not JSON: ${error instanceof Error ? error.message : error}`;
  }
}

/**
 * The document of a draft that has no faults, as text: the body goes in as it
 * was written, so that its numbers keep their digits and its keys their order.
 */
export function documentOf(draft: MappingDraft): string {
  const labels = draft.labels.split(/[\s,]+/).filter(Boolean);
  const methods = draft.method.split(/[\s,]+/).filter(Boolean);
  const body: [string, string][] = [];
  if (draft.kind === 'json') body.push(['json', draft.body]);
  if (draft.kind === 'text' || draft.kind === 'xml' || draft.kind === 'base64') {
    body.push([draft.kind, JSON.stringify(draft.body)]);
  }
  if (draft.kind === 'payload') body.push(['payload', JSON.stringify(draft.payload)]);
  if (draft.kind === 'redirect') body.push(['redirect', JSON.stringify(draft.redirect.trim())]);
  if (draft.kind === 'fault') {
    const detail = draft.body.trim() ? { detail: draft.body } : {};
    body.push(['fault', JSON.stringify({ code: draft.faultCode, text: draft.faultText, ...detail })]);
  }
  if (draft.kind === 'contract') {
    const example = draft.example.trim();
    body.push(example ? ['example', JSON.stringify(example)] : ['generate', 'true']);
  }
  if (draft.kind === 'upstream') {
    body.push(['from', '"upstream"']);
    if (draft.send.trim()) body.push(['send', draft.send]);
    if (draft.body.trim()) body.push(['edit', draft.body]);
  }
  const headers = draft.headers.filter((h) => h.name.trim()).map((h) => ({ [h.name.trim()]: h.value }));
  const status = isExpression(draft.status)
    ? JSON.stringify(draft.status.trim())
    : String(Number(draft.status));
  const head: [string, string][] = [
    ['status', status],
    ['headers', JSON.stringify(headers)],
  ];
  if (draft.recorded) body.push(['recorded', draft.recorded]);
  const answer = draft.kind === 'upstream' ? body : [...head, ...body];
  return object([
    ...(draft.id ? [['id', JSON.stringify(draft.id)] as [string, string]] : []),
    ['title', JSON.stringify(draft.title)],
    ...(labels.length ? [['labels', JSON.stringify(labels)] as [string, string]] : []),
    ['enabled', String(draft.enabled)],
    ['rank', String(draft.rank)],
    ['call', object(callOf(draft, methods))],
    ['answer', object(answer)],
    ...(draft.impair.trim() ? [['impair', draft.impair] as [string, string]] : []),
  ]);
}

function callOf(draft: MappingDraft, methods: string[]): [string, string][] {
  const members: [string, string][] = [];
  if (methods.length) members.push(['method', JSON.stringify(methods)]);
  if (draft.path) members.push(['path', JSON.stringify(draft.path)]);
  if (draft.operation) members.push(['operation', JSON.stringify(draft.operation)]);
  if (draft.where.trim()) members.push(['where', draft.where]);
  if (draft.when.trim()) members.push(['if', JSON.stringify(draft.when)]);
  return members;
}

function object(members: [string, string][]): string {
  return `{${members.map(([key, value]) => `${JSON.stringify(key)}:${value}`).join(',')}}`;
}

/** The statuses that a mapping answers with, in their order. */
export function statusesOf(mapping: Mapping): (number | string)[] {
  const answers = mapping.sequence ?? mapping.choose?.map((choice) => choice.answer) ?? [mapping.answer];
  return answers.flatMap((answer) => answer?.status ?? []);
}

/** The document of a mapping as it is, to put it back after a change. */
export function documentOfMapping(mapping: Mapping, space?: number): string {
  const {
    etag: _,
    deviations: __,
    problem: ___,
    calls: ____,
    positions: _____,
    origin: ______,
    offBy: _______,
    ...document
  } = mapping as Mapping & MappingDocument;
  return writeExact(document, space);
}

/** The id that the service would make from method and path. */
export function idOf(draft: MappingDraft): string {
  return `${draft.method || 'any'} ${draft.path}`
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-|-$/g, '');
}
