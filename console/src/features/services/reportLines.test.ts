import { expect, it } from 'vitest';
import { alike } from './reportLines';

it('says once what is said of several places', () => {
  expect(
    alike([
      { text: 'no response', place: 'GET /a' },
      { text: 'odd', place: '' },
      { text: 'media type', place: 'GET /b' },
      { text: 'media type', place: 'PUT /c' },
    ]),
  ).toEqual([
    { text: 'media type', places: ['GET /b', 'PUT /c'] },
    { text: 'no response', places: ['GET /a'] },
    { text: 'odd', places: [] },
  ]);
});
