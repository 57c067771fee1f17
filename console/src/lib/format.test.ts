import { describe, expect, it, vi } from 'vitest';
import { external } from './external';
import { bytes, clock, count, duration, isJson, pretty, total } from './format';
import { statusText } from './statusText';

describe('format', () => {
  it.each([
    [0.042, '0.04 ms'],
    [9.999, '10.00 ms'],
    [12.4, '12 ms'],
    [1300, '1.3 s'],
  ])('duration %d is %s', (ms, text) => expect(duration(ms)).toBe(text));
  it.each([
    [0, '0 bytes'],
    [1536, '1.5 KiB'],
    [3 * 1024 * 1024, '3.0 MiB'],
  ])('size %d is %s', (size, text) => expect(bytes(size)).toBe(text));
  it.each([
    [0, '0 calls'],
    [1, '1 call'],
    [12345, '12,345 calls'],
  ])('count %d is %s', (n, text) => expect(count(n, 'call')).toBe(text));
  it.each([
    [new Date(2026, 11, 1, 9, 4, 5).toISOString(), '09:04:05'],
    ['', ''],
  ])('the time of day of %j is %j', (moment, text) => expect(clock(moment)).toBe(text));
  it('lays out JSON and leaves everything else alone', () => {
    expect(pretty('{"a":[1]}')).toBe('{\n  "a": [\n    1\n  ]\n}');
    expect(pretty('a: [1]')).toBe('a: [1]');
    expect([isJson('null'), isJson('nil')]).toEqual([true, false]);
  });
  it('adds up counts', () => expect(total({ mapping: 2, miss: 1 })).toBe(3));
});

describe('statusText', () => {
  it.each([
    [404, 'Not Found'],
    [299, 'success'],
    [498, 'client error'],
    [777, 'not a common status'],
    [Number.NaN, 'not a common status'],
  ])('%d is %s', (status, text) => expect(statusText(status)).toBe(text));
});

describe('external', () => {
  it('tells its followers, until they leave', () => {
    const value = external(1);
    const listener = vi.fn();
    const leave = value.subscribe(listener);
    value.set(2);
    leave();
    value.set(3);
    expect(listener).toHaveBeenCalledTimes(1);
    expect(value.get()).toBe(3);
  });
});
