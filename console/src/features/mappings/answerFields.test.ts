import { expect, it } from 'vitest';
import type { Operation, OperationDetail } from '@/api/types';
import { fieldsOf, operationOf } from './answerFields';

const operations = [
  ['listBerths', 'GET', '/berths'],
  ['getBerth', 'GET', '/berths/{number}'],
  ['getOwn', 'GET', '/berths/mine'],
  ['bookBerth', 'POST', '/berths/{number}/bookings'],
].map(([id, method, path]) => ({ id, method, path }) as Operation);

it.each([
  ['GET', '/berths/{n}', '', 'getBerth'],
  ['GET', '/berths/N7', '', 'getBerth'],
  ['GET', '/berths/mine', '', 'getOwn'],
  ['POST', '/berths/N7', '', undefined],
  ['', '', 'askClearance', 'askClearance'],
])('%s %s %s asks for %s', (method, path, operation, want) =>
  expect(operationOf({ method, path, operation }, operations)).toBe(want),
);

it('finds the fields of a status, or those of its like', () => {
  const body = (mediaType: string, name: string) => ({ mediaType, fields: [{ name, type: 'string' }] });
  const detail = {
    responses: [
      { status: '200', bodies: [body('text/xml', 'xml'), body('application/json', 'number')] },
      { status: '4XX', bodies: [body('application/problem+json', 'title')] },
      { status: 'default', bodies: [body('application/json', 'other')] },
    ],
  } as unknown as OperationDetail;
  const names = (status: string) => fieldsOf(detail, status).map(({ name }) => name);
  expect([names('200'), names('404'), names('500')]).toEqual([['number'], ['title'], ['other']]);
  expect(fieldsOf({ ...detail, responses: [] }, '200')).toEqual([]);
});
