import { expect, it } from 'vitest';
import { completionsFor, functionsNamed, inExpression } from './expressionHelp';

const of = (call: string) => ({ name: call, call, says: '', example: '', gives: '' });
const functions = ['uuid()', 'list.sum()', 'text.title()', 'random.whole(low, high)'].map(of);
const labels = (before: string) => completionsFor(before, functions)?.options.map((o) => o.label);

it.each([
  ['answer: { text: "${', true],
  ['  text: "a ${call.path.n} and ${su', true],
  ['  text: "${call.path.n} and su', false],
  ['  text: "$${su', false],
  ['  if: call.body.a', true],
  ['- { if: call', true],
  ['  title: if: no', false],
])('%j is in an expression: %s', (before, want) => expect(inExpression(before)).toBe(want));

it('offers what can stand there', () => {
  expect(labels('title: uu')).toBeUndefined();
  expect(labels('${uu')).toContain('uuid');
  expect(labels('${uu')).not.toContain('sum');
  expect(labels('${call.body.lengths.su')).toEqual(['sum', 'title']);
  expect(labels('${[1, 2].')).toEqual(['sum', 'title']);
  expect(labels('${call.')).toContain('call.path');
  expect(labels('${random.')).toContain('random.whole');
  const offered = completionsFor('${vars.', functions, [{ name: 'office', origin: 'the environment' }]);
  expect(offered?.options.map((o) => o.label)).toContain('vars.office');
  expect(completionsFor('${[1].su', functions)?.word).toBe('su');
  const seen = [{ name: 'call.body.vessel.name', value: `"${'a'.repeat(60)}"` }];
  const named = completionsFor('${call.body.ve', functions, [], seen)?.options[0];
  expect([named?.label, named?.detail]).toEqual(['call.body.vessel.name', `= "${'a'.repeat(38)}…`]);
});

it('knows what a word names', () => {
  const named = (word: string) => functionsNamed(word, functions).map(({ call }) => call);
  expect(named('uuid')).toEqual(['uuid()']);
  expect(named('call.body.a.sum')).toEqual(['list.sum()']);
  expect(named('random.whole')).toEqual(['random.whole(low, high)']);
  expect(named('whole')).toEqual([]);
});
