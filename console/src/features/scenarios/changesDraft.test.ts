import { describe, expect, it } from 'vitest';
import {
  besideOf,
  type State,
  shapeOf,
  stateOf,
  type Trouble,
  troubleOf,
  withState,
  withTrouble,
} from './changesDraft';

const moorings = (text: string) => shapeOf(text)?.services.moorings ?? {};

describe('shapeOf', () => {
  it('reads what the form shows', () => {
    expect(
      shapeOf('name: 007\nbuildsOn: storm\nservices: {moorings: {off: true, examples: {a: "b"}}}\n'),
    ).toEqual({
      name: '007',
      buildsOn: 'storm',
      services: { moorings: { off: 'true', examples: { a: 'b' } } },
    });
    expect(shapeOf('name: x\nservices:\n')).toEqual({ name: 'x', services: {} });
  });

  it.each(['- name: one\n- name: two\n', 'storm', 'name: [', 'services: { moorings: off }'])(
    'leaves %j to the document',
    (text) => expect(shapeOf(text)).toBeUndefined(),
  );
});

describe('the state of a service', () => {
  it.each<[State, string]>([
    ['off', 'name: x\nservices:\n  moorings:\n    off: true\n'],
    ['on', 'name: x\nservices:\n  moorings:\n    off: false\n'],
    ['relay', 'name: x\nservices:\n  moorings:\n    mode: relay\n'],
    ['answer', 'name: x\nservices:\n  moorings:\n    mode: answer\n'],
    ['', 'name: x\n'],
  ])('is %j, whatever it was before', (state, want) => {
    for (const before of ['', 'off', 'on', 'relay'] as State[]) {
      const text = withState(withState('name: x\n', 'moorings', before), 'moorings', state);
      expect(text).toBe(want);
      expect(stateOf(moorings(text))).toBe(state);
    }
  });
});

describe('what makes a service slow or fail', () => {
  it.each<[Trouble, string, string]>([
    ['latency', '200ms..900ms', '    impair:\n      latency: 200ms..900ms\n'],
    ['latency', 'p50=80ms,p99=900ms', '    impair:\n      latency:\n        p50: 80ms\n        p99: 900ms\n'],
    ['errors', '30%', '    impair:\n      errors:\n        rate: 30%\n'],
    ['status', '503', '    impair:\n      errors:\n        status: 503\n'],
    ['status', '503, 429', '    impair:\n      errors:\n        status:\n          - 503\n          - 429\n'],
  ])('takes %s %j and shows it so', (what, typed, want) => {
    const text = withTrouble('name: x\n', 'moorings', what, typed);
    expect(text).toBe(`name: x\nservices:\n  moorings:\n${want}`);
    expect(troubleOf(moorings(text))[what]).toBe(typed);
    expect(withTrouble(text, 'moorings', what, '')).toBe('name: x\n');
  });

  it('leaves the rest of it', () => {
    const text =
      'services:\n  moorings:\n    impair: { errors: { rate: 5%, status: { 503: 2, 429: 1 }, retryAfter: 5s }, limit: { calls: 3 } }\n';
    expect(troubleOf(moorings(text)).status).toBe('429, 503');
    expect(withTrouble(text, 'moorings', 'errors', '7%')).toBe(text.replace('5%', '7%'));
    expect(withTrouble(text, 'moorings', 'errors', '')).toBe(
      'services:\n  moorings:\n    impair: { limit: { calls: 3 } }\n',
    );
  });
});

it('tells what only the document can change', () => {
  const text = `services:
  moorings:
    mappings:
      - { id: closed, call: { method: [PUT, POST], path: /a } }
      - { call: { operation: listDues } }
    impair: { latency: 1s, limit: { calls: 3 }, errors: { next: 3 }, seed: 7 }
    impairOperations: { listDues: { latency: 1s } }
`;
  expect(besideOf(moorings(text))).toEqual([
    'a mapping of its own for PUT|POST /a (closed)',
    'a mapping of its own for operation listDues',
    'slow or failing: limit, errors',
    'listDues slow or failing',
  ]);
  expect(besideOf({})).toEqual([]);
});
