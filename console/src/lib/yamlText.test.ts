import { describe, expect, it } from 'vitest';
import { plainOf, withValue } from './yamlText';

const storm = `name: storm
services:
  # the piers
  moorings:
    examples: { listBerths: none-free } # all of them
    mappings:
      - { call: { path: /a }, answer: { json: { metres: 18.0, code: 01234, big: 9007199254740993, open: yes } } }
`;

describe('withValue', () => {
  it.each<[string, string, string[], string | string[] | undefined, string]>([
    ['sets a value', 'a: 1\n', ['b'], 'two', 'a: 1\nb: two\n'],
    ['keeps what a text means', 'a: 1\n', ['b'], 'x: #y', 'a: 1\nb: "x: #y"\n'],
    ['replaces a value', 'a: 1 # why\n', ['a'], '2', 'a: 2 # why\n'],
    ['makes the maps on its way', 'a: 1\n', ['b', 'c', 'd'], '30%', 'a: 1\nb:\n  c:\n    d: 30%\n'],
    ['makes them where nothing stands yet', 'services:\n', ['services', 'x'], 'y', 'services:\n  x: y\n'],
    ['sets a list', 'a: {}\n', ['a', 'b'], ['x', 'y'], 'a: { b: [ x, y ] }\n'],
    ['takes a value out', 'a: 1\nb: 2\n', ['a'], undefined, 'b: 2\n'],
    ['and what is empty by that', 'a: 1\nb: { c: { d: 1 } }\n', ['b', 'c', 'd'], '', 'a: 1\n'],
    ['but nothing else', 'b: { c: { d: 1 }, e: 2 }\n', ['b', 'c', 'd'], [], 'b: { e: 2 }\n'],
    ['takes out what is not there', 'a: 1\n', ['x', 'y'], undefined, 'a: 1\n'],
  ])('%s', (_, text, path, value, want) => {
    expect(withValue(text, path, value)).toBe(want);
  });

  it('leaves everything else as it was written', () => {
    const changed = withValue(storm, ['services', 'tides', 'off'], 'true');
    expect(changed).toBe(`${storm}  tides:\n    off: true\n`);
    expect(withValue(changed, ['services', 'tides', 'off'], undefined)).toBe(storm);
  });
});

describe('plainOf', () => {
  it('reads scalars as their texts', () => {
    expect(plainOf('a: 18.0\nb: [yes, 01]\nc: {d: "x"}\n')).toEqual({
      a: '18.0',
      b: ['yes', '01'],
      c: { d: 'x' },
    });
  });

  it.each([
    ['a: [', 'what cannot be read'],
    ['a: &x 1\nb: *x\n', 'what is said elsewhere'],
  ])('does not tell of %j, %s', (text) => {
    expect(plainOf(text)).toBeUndefined();
  });
});
