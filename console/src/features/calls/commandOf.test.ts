import { expect, test } from 'vitest';
import { commandOf } from './commandOf';

test.each([
  ['', {}, 'rapidmimic calls'],
  [
    ' took:>1s or miss ',
    { lane: '-', service: 'tides' },
    "rapidmimic calls --service tides --lane - --text 'took:>1s or miss'",
  ],
  [
    '',
    { time: { from: 0, to: 15_000 } },
    'rapidmimic calls --since 1970-01-01T00:00:00.000Z --until 1970-01-01T00:00:15.000Z',
  ],
])('the command for %j', (text, scope, command) => expect(commandOf(text, scope)).toBe(command));
