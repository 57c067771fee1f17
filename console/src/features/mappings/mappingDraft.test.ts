import { describe, expect, it } from 'vitest';
import type { CallDetail, Mapping, MappingDocument } from '@/api/types';
import { parseExact } from '@/lib/exactJson';
import { type AnswerDraft, emptyAnswer } from './answerDraft';
import {
  beyondForm,
  documentOf,
  documentOfMapping,
  draftOf,
  draftOfCall,
  draftOfOperation,
  emptyDraft,
  faultsOf,
  isSound,
  type MappingDraft,
  sameDraft,
  statusesOf,
} from './mappingDraft';

const mapping: Mapping = {
  id: 'berth-closed',
  title: 'Closed',
  enabled: false,
  rank: 3,
  call: { method: ['GET', 'HEAD'], path: '/berths/{number}' },
  answer: {
    status: 503,
    headers: [{ 'Retry-After': '5' }, { 'Set-Cookie': 'a=1' }],
    json: { state: 'closed' },
  },
  etag: '"7"',
};

const first = ({ answers }: MappingDraft) => answers[0] as AnswerDraft;
const withAnswer = (draft: MappingDraft, part: Partial<AnswerDraft>): MappingDraft => ({
  ...draft,
  answers: [{ ...first(draft), ...part }],
});

it('knows when two drafts say the same', () => {
  const start = draftOf(mapping);
  expect(sameDraft(start, draftOf(mapping))).toBe(true);
  const { headers } = first(start);
  expect(sameDraft(start, withAnswer(start, { body: '{}' }))).toBe(false);
  expect(sameDraft(start, withAnswer(start, { headers: headers.slice(1) }))).toBe(false);
  expect(sameDraft(start, withAnswer(start, { headers: headers.map((h) => ({ ...h, value: 'x' })) }))).toBe(
    false,
  );
  const another = { ...start, answers: [...start.answers, emptyAnswer()] };
  expect(sameDraft(start, another), 'with one answer for all the others only wait').toBe(true);
  expect(sameDraft({ ...start, mode: 'sequence' }, { ...another, mode: 'sequence' })).toBe(false);
});

describe('documentOf', () => {
  it('gives back the mapping a draft was made of', () => {
    const { etag: _, ...document } = mapping;
    expect(JSON.parse(documentOf(draftOf(mapping)))).toEqual(document);
  });
  it('keeps the digits of numbers and leaves out headers without a name', () => {
    const body = '{"metres": 18.0, "id": 9007199254740993}';
    const draft = withAnswer(emptyDraft(), { body, headers: [{ key: 1, name: ' ', value: 'x' }] });
    expect(documentOf(draft)).toContain('"headers":[],"json":{"metres": 18.0, "id": 9007199254740993}');
  });
  it('keeps the digits of a kept mapping', () => {
    const kept = '{"metres":18.0,"id":9007199254740993,"parts":1e3}';
    const answer = { status: 200, headers: [], json: parseExact(kept) };
    const read = { ...mapping, answer } as Mapping;
    expect(documentOf(draftOf(read)).replace(/\s/g, '')).toContain(`"json":${kept}`);
    expect(documentOfMapping(read)).toContain(`"json":${kept}`);
  });
  it.each([
    { operation: 'askClearance', where: [{ xml: '//manifest', equals: 'M-1' }], if: 'true' },
    { path: '/x', method: 'GET' },
  ])('keeps what a call must look like: %o', (call) => {
    const kept = JSON.parse(documentOf(draftOf({ ...mapping, call })));
    expect(kept.call).toEqual({ ...call, ...('method' in call ? { method: ['GET'] } : {}) });
  });
  it.each([
    [{ status: 500, headers: [], fault: { code: 'Client', text: 'no', detail: '<a/>' } }],
    [{ status: 500, headers: [], fault: { code: 'Server', text: 'no' } }],
    [{ status: 200, headers: [], xml: '<a/>' }],
    [{ status: 200, headers: [], text: 'a' }],
    [{ status: 204, headers: [] }],
    [{ status: 200, headers: [], example: 'taken' }],
    [{ status: 200, headers: [], generate: true }],
    [{ status: 200, headers: [], base64: 'AAE=' }],
    [{ status: 200, headers: [], payload: 'chart.json' }],
    [{ status: 308, headers: [], redirect: '/berths' }],
    [{ status: '${int(call.query.code)}', headers: [], text: 'x' }],
    [{ script: 'export default () => ({})' }],
    [{ status: 200, headers: [], let: { dues: '${call.body.nights * 12}', free: 7, code: '7' }, json: {} }],
    [
      {
        status: 200,
        headers: [],
        remember: [
          { key: 'a ${call.path.number}', value: '${call.body}', for: '10m' },
          { key: 'b', append: { n: 1 } },
          { key: 'c', forget: true },
        ],
        json: {},
      },
    ],
    [{ status: 200, headers: [], callbacks: [{ to: '${call.body.url}', after: '2s' }], json: {} }],
    [{ status: 200, headers: [], callbacks: [], json: {} }],
    [{ from: 'upstream', with: { state: null }, edit: [{ op: 'remove', path: '/body/a' }] }],
    [{ from: 'contract' }],
    [{ from: 'contract', status: 404, example: 'gone', with: { note: '${original.status}' } }],
    [{ from: 'contract', generate: true, remember: [{ key: 'a', value: 1 }] }],
    [{ from: 'mapping:free-berth', with: [], edit: [{ op: 'replace', path: '/status', value: 203 }] }],
  ])('keeps the answer %o', (answer) => {
    expect(JSON.parse(documentOf(draftOf({ ...mapping, answer } as Mapping))).answer).toEqual(answer);
  });
  it.each([
    [
      {
        sequence: [
          { status: 503, headers: [], text: 'a' },
          { status: 200, headers: [], json: {} },
        ],
      },
    ],
    // biome-ignore lint/suspicious/noThenProperty: so the document calls it
    [{ sequence: [{ status: 503, headers: [], text: 'a' }], then: 'start-over', per: 'caller' }],
    [
      {
        choose: [
          { if: 'call.body.nights > 7', answer: { status: 422, headers: [], text: 'too long' } },
          { answer: { status: 200, headers: [], json: { nights: '${call.body.nights}' } } },
        ],
      },
    ],
  ])('keeps several answers %o', (answers) => {
    const { etag: _, answer: __, ...others } = mapping;
    const document = { ...others, ...answers };
    expect(JSON.parse(documentOf(draftOf(document as MappingDocument)))).toEqual(document);
  });
  it('takes any method when none is named', () => {
    expect(JSON.parse(documentOf({ ...emptyDraft(), method: '' })).call).toEqual({ path: '/' });
  });
});

describe('faultsOf', () => {
  it.each([
    [{}, []],
    [{ id: 'two words' }, ['id']],
    [{ path: 'berths' }, ['path']],
    [{ path: '', operation: 'getBerth' }, []],
    [{ path: '' }, ['path']],
    [{ where: '[{' }, ['where']],
    [{ where: '{}' }, ['where']],
  ])('%j has faults in %j', (change, keys) => {
    const { answers, ...faults } = faultsOf({ ...emptyDraft(), ...change });
    expect(Object.keys(faults)).toEqual(keys);
    expect(answers).toEqual([{}]);
    expect(isSound({ answers, ...faults })).toBe(keys.length === 0);
  });
  it.each([
    [{ status: '99' }, ['status']],
    [{ status: 'ok' }, ['status']],
    [{ body: '{"a": }' }, ['body']],
    [{ kind: 'text' as const, body: '{"a": }' }, []],
    [{ status: '204' }, ['body']],
    [{ status: '204', kind: 'none' as const }, []],
  ])('the answer %j has faults in %j', (change, keys) => {
    const faults = faultsOf(withAnswer(emptyDraft(), change));
    expect(Object.keys(faults.answers[0] ?? {})).toEqual(keys);
    expect(isSound(faults)).toBe(keys.length === 0);
  });
  it('asks for the condition of every choice but the last', () => {
    const answers = ['', 'true', ''].map((condition) => ({ ...emptyAnswer(), if: condition }));
    const faults = faultsOf({ ...emptyDraft(), mode: 'choose', answers });
    expect(faults.answers.map((of) => Object.keys(of))).toEqual([['if'], [], []]);
    expect(faultsOf({ ...emptyDraft(), mode: 'sequence', answers }).answers).toEqual([{}, {}, {}]);
  });
});

describe('drafts', () => {
  const call = {
    method: 'POST',
    path: '/berths/N7/bookings',
    status: 409,
    source: 'contract',
    answer: {
      headers: [
        ['Content-Type', 'application/problem+json'],
        ['Access-Control-Allow-Origin', 'http://localhost'],
        ['Retry-After', '5'],
      ],
      body: '{"title":"taken"}',
      encoding: 'text',
      size: 17,
    },
  } as unknown as CallDetail;

  it('of a call start from its answer', () => {
    const draft = draftOfCall(call);
    expect(first(draft).status).toBe('409');
    expect(first(draft).headers.map((h) => h.name)).toEqual(['Content-Type', 'Retry-After']);
    expect(JSON.parse(first(draft).body)).toEqual({ title: 'taken' });
  });
  it('keep a literal ${ of the answer as one', () => {
    const headers = [
      ['Content-Type', 'text/plain'],
      ['X-Note', '${a}'],
    ];
    const draft = draftOfCall({ ...call, answer: { ...call.answer, headers, body: 'Costs ${amount}' } });
    expect(first(draft).headers.find((h) => h.name === 'X-Note')?.value).toBe('$${a}');
    expect(first(draft).body).toBe('Costs $${amount}');
  });
  it('of a miss start from the request alone', () => {
    const draft = draftOfCall({ ...call, source: 'miss', status: 404 });
    expect([draft.method, draft.path, first(draft).status]).toEqual(['POST', '/berths/N7/bookings', '200']);
  });
  it('of an operation without a body have none', () => {
    const draft = draftOfOperation({
      id: 'liftWarning',
      protocol: 'http',
      method: 'DELETE',
      path: '/warnings/{id}',
      status: 204,
    });
    expect([first(draft).kind, first(draft).status]).toEqual(['none', '204']);
  });
});

describe('statusesOf', () => {
  it.each([
    [{}, [503]],
    [{ answer: undefined, sequence: [{ status: 500 }, { status: 200 }] }, [500, 200]],
    [
      { answer: undefined, choose: [{ if: 'true', answer: { status: 404 } }, { answer: { status: 200 } }] },
      [404, 200],
    ],
  ])('lists what %o answers with', (change, want) => {
    expect(statusesOf({ ...mapping, ...change } as Mapping)).toEqual(want);
  });
});

it.each([
  [{ json: {} }, ''],
  [{ from: 'upstream', edit: [] }, ''],
  [{ json: {}, let: { a: 1 }, remember: { key: 'a', value: 1 }, callbacks: { name: 'told' } }, ''],
  [{ script: 'export default () => ({})' }, ''],
  [{ from: 'contract', with: { a: 1 } }, ''],
  [{ json: {}, tide: 1 }, 'no tide'],
  [{ fault: { code: 'Client', text: 'no', subcode: ['a'] } }, 'no subcode of a fault'],
  [{ fault: { code: 'Client', text: 'no' } }, ''],
])('leaves %o to the form only where nothing is lost', (answer, why) => {
  for (const said of [
    beyondForm({ answer } as Mapping),
    beyondForm({ sequence: [{ json: {} }, answer] } as Mapping),
    beyondForm({ choose: [{ if: 'true', answer }, { answer: { json: {} } }] } as Mapping),
  ]) {
    if (why) expect(said).toContain(why);
    else expect(said).toBe('');
  }
});

it.each([
  // biome-ignore lint/suspicious/noThenProperty: so the document calls it
  [{ name: 'hold', of: '${call.path.number}', when: ['held', 'asked'], then: 'free' }],
  [{ name: 'hold', when: 'start' }],
  [{ name: 'hold' }],
])('keeps the flow %o', (flow) => {
  const draft = draftOf({ ...mapping, flow } as Mapping);
  expect(JSON.parse(documentOf(draft)).flow).toEqual(flow);
  expect(sameDraft(draft, draftOf({ ...mapping, flow: { ...flow, name: 'x' } } as Mapping))).toBe(false);
  expect(faultsOf({ ...draft, flow: ' ' }).flow).toBe('when' in flow ? 'Give the flow a name' : undefined);
});

it('says what is wrong beside the body of an answer', () => {
  const line = { key: 1, name: 'free berths', value: '1' };
  const kept = { key: 1, name: '', how: 'value' as const, value: 'x', for: '' };
  const wrong = faultsOf(
    withAnswer(emptyDraft(), {
      names: [line],
      remembered: [kept],
      callbacks: '{}',
      kind: 'payload',
    }),
  );
  const script = withAnswer(emptyDraft(), { names: [line], status: '204', kind: 'script', body: ' ' });
  expect(faultsOf(script).answers[0], 'a script names no values').toEqual({
    body: 'Write the script, or name a payload that ends in .js',
  });
  expect(Object.keys(wrong.answers[0] ?? {}).sort()).toEqual(['body', 'callbacks', 'names', 'remembered']);
  const { names, remembered } = { names: [{ ...line, name: 'free' }], remembered: [{ ...kept, name: 'a' }] };
  expect(isSound(faultsOf(withAnswer(emptyDraft(), { names, remembered, callbacks: '[]' })))).toBe(true);
  const start = withAnswer(emptyDraft(), { names, remembered });
  expect(sameDraft(start, withAnswer(start, { names: [{ ...line, key: 9, name: 'free' }] }))).toBe(true);
  expect(sameDraft(start, withAnswer(start, { names: [] }))).toBe(false);
  expect(sameDraft(start, withAnswer(start, { remembered: [{ ...kept, name: 'b' }] }))).toBe(false);
});

it('keeps the edits of what the upstream says, and no status beside them', () => {
  const edit = [{ op: 'replace' as const, path: '/body/amount', value: 1.5 }];
  const start = draftOf({ ...mapping, answer: { from: 'upstream', edit } });
  expect(first(start).kind).toBe('upstream');
  expect(isSound(faultsOf(start))).toBe(true);
  const written = JSON.parse(documentOf(start));
  expect(written.answer).toEqual({ from: 'upstream', edit });
  expect(JSON.parse(documentOf(withAnswer(start, { edit: '', send: '[]' }))).answer).toEqual({
    from: 'upstream',
    send: [],
  });
  expect(faultsOf(withAnswer(start, { send: '{}' })).answers[0]?.body).toBe('A list of steps, in JSON');
});

it.each([
  [{ from: '' }, 'Choose which answer'],
  [{ from: 'contract', ofStatus: '42' }, '200 to 999'],
  [{ from: 'contract', ofStatus: '404', drawn: true }, 'leave the status out'],
  [{ from: 'contract', example: 'gone', drawn: true }, 'not both'],
  [{ from: 'mapping:a', with: '{' }, 'Not JSON'],
  [{ from: 'mapping:a', edit: '{}' }, 'A list of steps'],
  [{ from: 'mapping:a', ofStatus: '42', drawn: true, send: '{', with: '{}', edit: '[]' }, ''],
  [{ from: 'mapping:a', status: 'x', names: [{ key: 1, name: '7', value: '' }], with: '{}', edit: '[]' }, ''],
])('says what is wrong with the changed answer %o', (part, want) => {
  const draft = withAnswer(emptyDraft(), { kind: 'changed', ...part });
  const fault = faultsOf(draft).answers[0]?.body;
  if (want) expect(fault).toContain(want);
  else {
    expect(isSound(faultsOf(draft))).toBe(true);
    expect(JSON.parse(documentOf(draft)).answer).toEqual({ from: 'mapping:a', with: {}, edit: [] });
  }
});

it('keeps the impairment of a mapping', () => {
  const impair = { latency: '250ms', seed: 7 };
  const start = draftOf({ ...mapping, impair });
  expect(JSON.parse(documentOf(start)).impair).toEqual(impair);
  expect(JSON.parse(documentOf({ ...start, impair: ' ' }))).not.toHaveProperty('impair');
  expect(faultsOf({ ...start, impair: '{' }).impair).toMatch(/^Not JSON/);
});
