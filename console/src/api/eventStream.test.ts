import { expect, it } from 'vitest';
import { eventParser } from './eventStream';

const stream =
  'id: 1\nevent: calls\ndata: {"a": 1}\n\n: still here\n\nid: 2\r\nevent: calls\r\ndata: one\r\ndata: two\r\n\r\nevent: open\ndata: {}\n\ndata: cut';

it.each([1, 2, 7, stream.length])('gives the same events in pieces of %d', (size) => {
  const events: string[] = [];
  const take = eventParser(({ id, type, data }) => events.push(`${id} ${type} ${data}`));
  for (let at = 0; at < stream.length; at += size) take(stream.slice(at, at + size));
  expect(events).toEqual(['1 calls {"a": 1}', '2 calls one\ntwo', '2 open {}']);
});
