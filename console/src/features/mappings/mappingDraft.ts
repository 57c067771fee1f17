import type { CallDetail, Mapping, MappingDocument, Operation } from '@/api/types';
import { writeExact } from '@/lib/exactJson';
import { pretty } from '@/lib/format';
import {
  type AnswerDraft,
  type AnswerFaults,
  answerDraftOf,
  answerText,
  beyondAnswer,
  emptyAnswer,
  faultsOfAnswer,
  headerLine,
  jsonFault,
  object,
  sameAnswer,
} from './answerDraft';
import { queryConditions } from './callProposal';

/** How a mapping answers: always the same, its answers in turn, or the first whose condition holds. */
export type Mode = 'one' | 'sequence' | 'choose';

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
  mode: Mode;
  answers: AnswerDraft[]; // at least one; with one, the first
  after: '' | 'repeat-last' | 'start-over' | 'pass'; // the last of a sequence; "" as usual
  per: '' | 'everyone' | 'caller'; // whose calls it counts; "" as usual
  impair: string; // JSON: trouble that goes with every answer; "" for none
  flow: string; // of which the mapping is a move; "" for none
  flowOf: string; // an expression that tells things apart; "" for one thing
  flowWhen: string; // states between commas; "" for any
  flowThen: string; // the state afterwards; "" for the same
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
    mode: 'one',
    answers: [emptyAnswer()],
    after: '',
    per: '',
    impair: '',
    flow: '',
    flowOf: '',
    flowWhen: '',
    flowThen: '',
  };
}

export function draftOf(mapping: MappingDocument): MappingDraft {
  const { call } = mapping;
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
    mode: mapping.sequence ? 'sequence' : mapping.choose ? 'choose' : 'one',
    answers: answersOf(mapping),
    after: mapping.then ?? '',
    per: mapping.per ?? '',
    flow: mapping.flow?.name ?? '',
    flowOf: mapping.flow?.of ?? '',
    flowWhen: [mapping.flow?.when ?? []].flat().join(', '),
    flowThen: mapping.flow?.then ?? '',
  };
}

function answersOf({ answer, sequence, choose }: MappingDocument): AnswerDraft[] {
  if (sequence) return sequence.map((one) => answerDraftOf(one));
  if (choose) return choose.map((choice) => answerDraftOf(choice.answer, choice.if));
  return [answerDraftOf(answer ?? { status: 200 })];
}

/** Why the form would lose part of what a mapping answers, or "". */
export function beyondForm({
  answer,
  sequence,
  choose,
}: Pick<MappingDocument, 'answer' | 'sequence' | 'choose'>): string {
  const answers = sequence ?? choose?.map((choice) => choice.answer) ?? [answer ?? {}];
  return answers.map(beyondAnswer).find(Boolean) ?? '';
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
    answers: [
      {
        ...emptyAnswer(),
        status: String(operation.status ?? 200),
        headers,
        kind: operation.sample ? (json ? 'json' : xml ? 'xml' : 'text') : 'none',
        body: operation.sample ? literal(pretty(operation.sample)) : '',
      },
    ],
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
    answers: [
      {
        ...emptyAnswer(),
        status: String(call.status),
        headers,
        kind: body ? (json ? 'json' : xml ? 'xml' : 'text') : 'none',
        body: literal(json || xml ? pretty(body) : body),
      },
    ],
  };
}

export type Faults = Partial<Record<'id' | 'path' | 'where' | 'impair' | 'flow', string>> & {
  /** Of each answer, in their order. */
  answers: AnswerFaults[];
};

/** What keeps a draft from being saved; nothing when it may be. */
export function faultsOf(draft: MappingDraft): Faults {
  const faults: Faults = { answers: givenAnswers(draft).map(faultsOfAnswer) };
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
  if (!draft.flow.trim() && (draft.flowOf || draft.flowWhen || draft.flowThen))
    faults.flow = 'Give the flow a name';
  if (draft.impair.trim() && jsonFault(draft.impair)) faults.impair = jsonFault(draft.impair);
  if (draft.mode === 'choose') {
    faults.answers.forEach((of, i) => {
      const last = i === faults.answers.length - 1;
      if (!last && !draft.answers[i]?.if.trim())
        of.if = 'Say when it is given: the last one alone needs no condition';
    });
  }
  return faults;
}

/** Whether nothing keeps a draft from being saved. */
export function isSound({ answers, ...others }: Faults): boolean {
  return Object.keys(others).length === 0 && answers.every((of) => Object.keys(of).length === 0);
}

/** The answers that are saved: with one for all calls, the others wait for another mode. */
function givenAnswers({ mode, answers }: MappingDraft): AnswerDraft[] {
  return mode === 'one' ? answers.slice(0, 1) : answers;
}

/** Whether two drafts say the same. */
export function sameDraft(a: MappingDraft, b: MappingDraft): boolean {
  const { answers: _, ...mine } = a;
  const { answers: __, ...other } = b;
  const [ours, theirs] = [givenAnswers(a), givenAnswers(b)];
  return (
    Object.entries(mine).every(([key, value]) => value === other[key as keyof typeof other]) &&
    ours.length === theirs.length &&
    ours.every((answer, i) => sameAnswer(answer, theirs[i] as AnswerDraft))
  );
}

/** How many letters the bodies of a draft have. */
export const sizeOf = ({ answers }: MappingDraft) => answers.reduce((sum, { body }) => sum + body.length, 0);

/**
 * The document of a draft that has no faults, as text: bodies go in as they were written, so that
 * their numbers keep their digits and their keys their order.
 */
export function documentOf(draft: MappingDraft): string {
  const labels = draft.labels.split(/[\s,]+/).filter(Boolean);
  const methods = draft.method.split(/[\s,]+/).filter(Boolean);
  return object([
    ...(draft.id ? [['id', JSON.stringify(draft.id)] as [string, string]] : []),
    ['title', JSON.stringify(draft.title)],
    ...(labels.length ? [['labels', JSON.stringify(labels)] as [string, string]] : []),
    ['enabled', String(draft.enabled)],
    ['rank', String(draft.rank)],
    ['call', object(callOf(draft, methods))],
    ...answerMembers(draft),
    ...flowMember(draft),
    ...(draft.impair.trim() ? [['impair', draft.impair] as [string, string]] : []),
  ]);
}

function flowMember({ flow, flowOf, flowWhen, flowThen }: MappingDraft): [string, string][] {
  if (!flow.trim()) return [];
  const states = flowWhen.split(/[\s,]+/).filter(Boolean);
  const members: [string, string][] = [['name', JSON.stringify(flow.trim())]];
  if (flowOf.trim()) members.push(['of', JSON.stringify(flowOf.trim())]);
  if (states.length) members.push(['when', JSON.stringify(states.length === 1 ? states[0] : states)]);
  if (flowThen.trim()) members.push(['then', JSON.stringify(flowThen.trim())]);
  return [['flow', object(members)]];
}

function answerMembers(draft: MappingDraft): [string, string][] {
  const texts = givenAnswers(draft).map(answerText);
  if (draft.mode === 'one') return [['answer', texts[0] ?? '{}']];
  if (draft.mode === 'sequence') {
    const members: [string, string][] = [['sequence', `[${texts.join(',')}]`]];
    if (draft.after) members.push(['then', JSON.stringify(draft.after)]);
    if (draft.per) members.push(['per', JSON.stringify(draft.per)]);
    return members;
  }
  const choices = texts.map((text, i) => {
    const condition = draft.answers[i]?.if.trim();
    return object([
      ...(condition ? [['if', JSON.stringify(condition)] as [string, string]] : []),
      ['answer', text],
    ]);
  });
  return [['choose', `[${choices.join(',')}]`]];
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
