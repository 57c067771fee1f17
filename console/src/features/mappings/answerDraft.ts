import type { MappingDocument } from '@/api/types';
import { writeExact } from '@/lib/exactJson';
import { valueJSON, valueText } from '@/lib/valueText';

/** An answer of a mapping while it is being written: everything is text until it is saved. */
export interface AnswerDraft {
  key: number; // its own: answers move while they are edited
  if: string; // of a choice: the expression that must be true; "" for otherwise
  status: string; // a number, or an expression
  headers: { key: number; name: string; value: string }[];
  kind:
    | 'json'
    | 'text'
    | 'xml'
    | 'base64'
    | 'payload'
    | 'redirect'
    | 'script'
    | 'fault'
    | 'contract'
    | 'upstream'
    | 'changed'
    | 'none';
  body: string; // of a fault, its detail
  payload: string; // name of a payload of the service
  redirect: string; // where to
  faultCode: string;
  faultText: string;
  example: string; // of the contract; "" for data drawn from it, or where it is changed for the usual answer
  from: string; // of one that is changed: contract, or mapping:ID; "" for none yet
  drawn: boolean; // of one that is changed: data are drawn from the contract
  ofStatus: string; // likewise: which of its answers; "" for the usual one
  with: string; // JSON: what is merged into the body of an answer from elsewhere; "" for nothing
  edit: string; // JSON: steps that change it then; "" for none
  send: string; // JSON: steps that edit the request to the upstream; "" for none
  recorded: string; // JSON: how a recorded answer came; "" for none
  names: { key: number; name: string; value: string }[]; // let: values as valueText has them
  remembered: RememberedLine[];
  callbacks: string; // JSON: a list of calls that are made afterwards; "" for those of the contract
}

/** A value that is kept when the answer is given, as valueText has it. */
export interface RememberedLine {
  key: number;
  name: string; // its key in the memory
  how: 'value' | 'append' | 'forget';
  value: string;
  for: string; // "" for no end
}

export type AnswerDocument = NonNullable<MappingDocument['answer']>;

let lastKey = 0;

/** Headers get a key of their own: they move while they are edited. */
export function headerLine(name = '', value = '') {
  return { key: ++lastKey, name, value };
}

export function emptyAnswer(): AnswerDraft {
  return {
    key: ++lastKey,
    if: '',
    status: '200',
    headers: [],
    kind: 'json',
    body: '{}',
    payload: '',
    redirect: '',
    faultCode: 'Server',
    faultText: '',
    example: '',
    from: '',
    drawn: false,
    ofStatus: '',
    with: '',
    edit: '',
    send: '',
    recorded: '',
    names: [],
    remembered: [],
    callbacks: '',
  };
}

/** What is remembered gets a key of its own, too. */
export function rememberedLine(of: Partial<RememberedLine> = {}): RememberedLine {
  return { name: '', how: 'value', value: '', for: '', ...of, key: ++lastKey };
}

type Remember = Exclude<NonNullable<AnswerDocument['remember']>, unknown[]>;

function rememberedLineOf(of: Remember): RememberedLine {
  const how = of.forget ? 'forget' : 'append' in of ? 'append' : 'value';
  return rememberedLine({
    name: of.key,
    how,
    value: how === 'forget' ? '' : valueText(of[how]),
    for: of.for ?? '',
  });
}

const listOf = <T>(of: T | T[] | undefined): T[] => (Array.isArray(of) ? of : of === undefined ? [] : [of]);

export function answerDraftOf(answer: AnswerDocument, condition = ''): AnswerDraft {
  return {
    ...emptyAnswer(),
    if: condition,
    status: String(answer.status ?? 200),
    headers: ((answer.headers ?? []) as Record<string, string>[]).flatMap((h) =>
      Object.entries(h).map(([name, value]) => headerLine(name, value)),
    ),
    recorded: answer.recorded ? writeExact(answer.recorded) : '',
    names: Object.entries(answer.let ?? {}).map(([name, value]) => headerLine(name, valueText(value))),
    remembered: listOf(answer.remember).map(rememberedLineOf),
    callbacks: answer.callbacks ? writeExact(listOf(answer.callbacks), 2) : '',
    ...bodyOf(answer),
  };
}

/** An answer that was kept as JSON, with keys that nothing else has. */
export function withOwnKeys(answer: AnswerDraft): AnswerDraft {
  const { names = [], remembered = [] } = answer; // those that were kept before there were any
  return {
    ...emptyAnswer(),
    ...answer,
    key: ++lastKey,
    headers: answer.headers.map(({ name, value }) => headerLine(name, value)),
    names: names.map(({ name, value }) => headerLine(name, value)),
    remembered: remembered.map(rememberedLine),
  };
}

type Body = Pick<AnswerDraft, 'kind' | 'body'> & Partial<AnswerDraft>;

function bodyOf(answer: AnswerDocument): Body {
  if (answer.text !== undefined) return { kind: 'text', body: answer.text };
  if (answer.xml !== undefined) return { kind: 'xml', body: answer.xml };
  if (answer.base64 !== undefined) return { kind: 'base64', body: answer.base64 };
  if (answer.payload) return { kind: 'payload', body: '', payload: answer.payload };
  if (answer.script) return { kind: 'script', body: answer.script };
  if (answer.redirect) return { kind: 'redirect', body: '', redirect: answer.redirect };
  if (answer.fault) {
    const { code, text, detail } = answer.fault;
    return { kind: 'fault', body: detail ?? '', faultCode: code, faultText: text };
  }
  if (answer.from) return fromElsewhere(answer);
  if (answer.example || answer.generate) return { kind: 'contract', body: '', example: answer.example ?? '' };
  if ('json' in answer) return { kind: 'json', body: writeExact(answer.json, 2) };
  return { kind: 'none', body: '' };
}

/** In words where an answer that has no status of its own comes from, or "". */
export function originOf({ kind, from }: AnswerDraft): string {
  if (kind === 'script') return 'by a script';
  if (kind === 'upstream') return 'from the upstream';
  if (kind !== 'changed') return '';
  return from === 'contract' ? 'from the contract, changed' : `from ${from.replace(':', ' ')}, changed`;
}

function fromElsewhere({ from = '', status, example, generate, ...answer }: AnswerDocument): Body {
  const steps = (of?: unknown[]) => (of?.length ? writeExact(of, 2) : '');
  const changes = {
    body: '',
    edit: steps(answer.edit),
    with: answer.with === undefined ? '' : writeExact(answer.with, 2),
  };
  if (from === 'upstream') return { kind: 'upstream', ...changes, send: steps(answer.send) };
  return {
    kind: 'changed',
    ...changes,
    from,
    example: example ?? '',
    drawn: generate ?? false,
    ofStatus: String(status ?? ''),
  };
}

/** What the form has of an answer; of a fault, of an answer from the upstream. */
const shown = {
  answer: [
    'status',
    'headers',
    'json',
    'text',
    'xml',
    'base64',
    'payload',
    'redirect',
    'fault',
    'example',
    'generate',
    'from',
    'with',
    'send',
    'edit',
    'recorded',
    'script',
    'let',
    'remember',
    'callbacks',
  ],
  fault: ['code', 'text', 'detail'],
};

/** Why the form would lose part of an answer, or "". */
export function beyondAnswer(answer: AnswerDocument): string {
  const lost = (of: object, known: string[]) => Object.keys(of).find((key) => !known.includes(key));
  const key = lost(answer, shown.answer);
  if (key) return `The form has no ${key}: it stays a document`;
  const inFault = answer.fault && lost(answer.fault, shown.fault);
  return inFault ? `The form has no ${inFault} of a fault: it stays a document` : '';
}

export type AnswerFaults = Partial<
  Record<'if' | 'status' | 'body' | 'names' | 'remembered' | 'callbacks', string>
>;

/** What keeps an answer from being saved; nothing when it may be. What its kind does not have is not looked at. */
export function faultsOfAnswer(draft: AnswerDraft): AnswerFaults {
  const faults: AnswerFaults = {};
  const status = hasStatus(draft) ? Number(draft.status) : 200;
  if (
    hasStatus(draft) &&
    !isExpression(draft.status) &&
    (!Number.isInteger(status) || status < 200 || status > 999)
  ) {
    faults.status = 'A number from 200 to 999, or ${…}';
  }
  if (hasNames(draft) && draft.names.some(({ name, value }) => !isName(name) && (name || value))) {
    faults.names = 'A name is of letters, digits and _, and begins with a letter';
  }
  if (hasMemory(draft) && draft.remembered.some(({ name, value }) => !name.trim() && value)) {
    faults.remembered = 'Say under which key';
  }
  if (draft.callbacks.trim()) {
    const wrong = jsonFault(draft.callbacks);
    if (wrong || !draft.callbacks.trim().startsWith('['))
      faults.callbacks = wrong || 'A list of calls, in JSON';
  }
  if (draft.kind === 'script' && !draft.body.trim())
    faults.body = 'Write the script, or name a payload that ends in .js';
  if (draft.kind === 'payload' && !draft.payload) faults.body = 'Choose a payload';
  if (draft.kind === 'redirect' && !draft.redirect.trim()) faults.body = 'Say where to';
  if (draft.kind === 'redirect' && !isExpression(draft.status) && (status < 300 || status > 399)) {
    faults.status = 'A redirect has 300 to 399';
  }
  if (draft.kind === 'json') {
    const wrong = jsonFault(draft.body);
    if (wrong) faults.body = wrong;
  }
  if (isElsewhere(draft)) return { ...faults, ...elsewhereFaults(draft) };
  if (draft.kind !== 'none' && (status === 204 || status === 304)) {
    faults.body = `An answer with status ${status} cannot have a body`;
  }
  return faults;
}

/** Whether an answer comes from elsewhere, and is changed on its way. */
export const isElsewhere = ({ kind }: AnswerDraft) => kind === 'upstream' || kind === 'changed';

/** Whether an answer has a status and headers that are written beside its body. */
export const hasStatus = (draft: AnswerDraft) => !isElsewhere(draft) && draft.kind !== 'script';

/** What is wrong with where an answer comes from, and with how it is changed. */
function elsewhereFaults(draft: AnswerDraft): AnswerFaults {
  const changed = draft.kind === 'changed';
  const { ofStatus } = draft;
  if (changed && !draft.from) return { body: 'Choose which answer it starts from' };
  if (changed && draft.from === 'contract') {
    if (ofStatus && !/^[2-9]\d\d$/.test(ofStatus)) return { body: 'Of status: a number from 200 to 999' };
    if (ofStatus && draft.drawn) return { body: 'Data are drawn for the usual status: leave the status out' };
    if (draft.example.trim() && draft.drawn) return { body: 'Name an example or have data drawn, not both' };
  }
  const merged = draft.with.trim() && jsonFault(draft.with);
  if (merged) return { body: merged };
  for (const steps of [draft.edit, changed ? '' : draft.send]) {
    if (!steps.trim()) continue;
    const wrong = jsonFault(steps);
    if (wrong || !steps.trim().startsWith('[')) return { body: wrong || 'A list of steps, in JSON' };
  }
  return {};
}

const isName = (text: string) => /^[A-Za-z_][A-Za-z0-9_]*$/.test(text);

function isExpression(text: string): boolean {
  return text.trim().startsWith('${');
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

/** Whether two answers say the same; large bodies are compared, not written out. */
export function sameAnswer(a: AnswerDraft, b: AnswerDraft): boolean {
  const { headers: ours, names, remembered, key: _, ...mine } = a;
  const { headers: theirs, names: otherNames, remembered: otherRemembered, key: __, ...other } = b;
  return (
    Object.entries(mine).every(([key, value]) => value === other[key as keyof typeof other]) &&
    sameLines(ours, theirs) &&
    sameLines(names, otherNames) &&
    sameLines(remembered, otherRemembered)
  );
}

/** Whether lines say the same, whatever their keys. */
function sameLines<T extends { key: number }>(ours: T[], theirs: T[]): boolean {
  const said = ({ key: _, ...line }: T) => JSON.stringify(line);
  return ours.length === theirs.length && ours.every((line, i) => said(line) === said(theirs[i] as T));
}

/** The document of an answer that has no faults, as text: the body goes in as it was written. */
export function answerText(draft: AnswerDraft): string {
  const body: [string, string][] = [];
  if (draft.kind === 'json') body.push(['json', draft.body]);
  if (draft.kind === 'text' || draft.kind === 'xml' || draft.kind === 'base64') {
    body.push([draft.kind, JSON.stringify(draft.body)]);
  }
  if (draft.kind === 'payload') body.push(['payload', JSON.stringify(draft.payload)]);
  if (draft.kind === 'script') body.push(['script', JSON.stringify(draft.body)]);
  if (draft.kind === 'redirect') body.push(['redirect', JSON.stringify(draft.redirect.trim())]);
  if (draft.kind === 'fault') {
    const detail = draft.body.trim() ? { detail: draft.body } : {};
    body.push(['fault', JSON.stringify({ code: draft.faultCode, text: draft.faultText, ...detail })]);
  }
  if (draft.kind === 'contract') {
    const example = draft.example.trim();
    body.push(example ? ['example', JSON.stringify(example)] : ['generate', 'true']);
  }
  if (isElsewhere(draft)) body.push(...elsewhereText(draft));
  const headers = draft.headers.filter((h) => h.name.trim()).map((h) => ({ [h.name.trim()]: h.value }));
  const status = isExpression(draft.status)
    ? JSON.stringify(draft.status.trim())
    : String(Number(draft.status));
  const head: [string, string][] = [
    ['status', status],
    ['headers', JSON.stringify(headers)],
  ];
  if (draft.recorded) body.push(['recorded', draft.recorded]);
  return object([...(hasStatus(draft) ? head : []), ...besideBody(draft), ...body]);
}

/** Where an answer comes from, and how it is changed. */
function elsewhereText(draft: AnswerDraft): [string, string][] {
  const members: [string, string][] = [];
  if (draft.kind === 'upstream') {
    members.push(['from', '"upstream"']);
    if (draft.send.trim()) members.push(['send', draft.send]);
  } else {
    members.push(['from', JSON.stringify(draft.from)]);
    if (draft.from === 'contract') {
      if (draft.ofStatus) members.push(['status', draft.ofStatus]);
      if (draft.example.trim()) members.push(['example', JSON.stringify(draft.example.trim())]);
      if (draft.drawn) members.push(['generate', 'true']);
    }
  }
  if (draft.with.trim()) members.push(['with', draft.with]);
  if (draft.edit.trim()) members.push(['edit', draft.edit]);
  return members;
}

/** What an answer has beside what is sent: names of values, what is remembered, and calls made afterwards. */
function besideBody(draft: AnswerDraft): [string, string][] {
  const members: [string, string][] = [];
  const named = hasNames(draft) ? draft.names.filter(({ name }) => name) : [];
  if (named.length) members.push(['let', object(named.map(({ name, value }) => [name, valueJSON(value)]))]);
  const kept = hasMemory(draft) ? draft.remembered.filter(({ name }) => name.trim()) : [];
  if (kept.length) members.push(['remember', `[${kept.map(rememberText).join(',')}]`]);
  if (draft.callbacks.trim()) members.push(['callbacks', draft.callbacks]);
  return members;
}

/** Values are named for the expressions of what stands in the answer itself. */
export const hasNames = (draft: AnswerDraft) =>
  !isElsewhere(draft) && !['script', 'contract', 'base64'].includes(draft.kind);

/** What the upstream answers is not known when something would be remembered. */
export const hasMemory = ({ kind }: AnswerDraft) => kind !== 'upstream';

function rememberText({ name, how, value, for: lasts }: RememberedLine): string {
  return object([
    ['key', JSON.stringify(name)],
    [how, how === 'forget' ? 'true' : valueJSON(value)],
    ...(lasts.trim() && how !== 'forget' ? [['for', JSON.stringify(lasts.trim())] as [string, string]] : []),
  ]);
}

/** A JSON object of members that are written already. */
export function object(members: [string, string][]): string {
  return `{${members.map(([key, value]) => `${JSON.stringify(key)}:${value}`).join(',')}}`;
}
