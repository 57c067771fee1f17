import { expect, test } from 'vitest';
import { keys } from './keys';

// the same texts for all of them: what would collide does
const all = Object.entries(keys).map(([name, key]) => {
  const made = (key as (...parts: string[]) => unknown[])('a', 'a', 'a').map((part) => JSON.stringify(part));
  return { name, text: made.join(' ') };
});

test('no two answers have one key', () => {
  expect(all.length).toBeGreaterThan(20);
  for (const { name, text } of all) {
    expect(all.filter((other) => other.text === text).map((other) => other.name)).toEqual([name]);
  }
});

test('what belongs to a service goes stale with it', () => {
  const below = [
    'operation',
    'mapping',
    'mappingText',
    'mappingVersion',
    'recordedCalls',
    'timings',
    'payloads',
  ];
  for (const { name, text } of all) {
    if (below.includes(name)) expect(text.startsWith('"services" "a" ')).toBe(true);
  }
});
