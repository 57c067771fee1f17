import { LosslessNumber, parse, stringify } from 'lossless-json';

/** JSON read so that writeExact gives every number its digits back: 18.0, 9007199254740993. */
export function parseExact(text: string): unknown {
  return parse(text, null, (digits) => {
    const number = Number(digits);
    return String(number) === digits ? number : new LosslessNumber(digits);
  });
}

/** The JSON of what parseExact read. */
export function writeExact(value: unknown, space?: number): string {
  return stringify(value, null, space) ?? 'null';
}
