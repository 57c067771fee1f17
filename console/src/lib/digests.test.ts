import { expect, test } from 'vitest';
import { shortDigests } from './digests';

test('digests are shortened, and nothing else', () => {
  const digest = `masked-${'0123abcd'.repeat(4)}`;
  expect(shortDigests(`{"token":"${digest}","n":"masked-0123abcd"}`)).toBe(
    '{"token":"masked-0123abcd","n":"masked-0123abcd"}',
  );
});
