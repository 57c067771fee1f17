import { layoutJson, layoutXml } from './layout';

/** A duration in milliseconds as people read it: "0.04 ms", "12 ms", "1.3 s". */
export function duration(ms: number): string {
  if (ms < 10) return `${ms.toFixed(2)} ms`;
  if (ms < 1000) return `${Math.round(ms)} ms`;
  return `${(ms / 1000).toFixed(1)} s`;
}

/** A size in bytes as people read it. */
export function bytes(size: number): string {
  if (size < 1024) return `${size} bytes`;
  if (size < 1024 * 1024) return `${(size / 1024).toFixed(1)} KiB`;
  return `${(size / 1024 / 1024).toFixed(1)} MiB`;
}

// made once: to find a language's format takes longer than to use it
const times = new Intl.DateTimeFormat('en-GB', { timeStyle: 'medium' });
const numbers = new Intl.NumberFormat('en');

/** The time of day, to the second, of an RFC 3339 moment; '' of anything else. */
export function clock(moment: string): string {
  const at = Date.parse(moment);
  return Number.isNaN(at) ? '' : times.format(at);
}

/** Day and time of a moment, to the second. */
export function moment(text: string): string {
  return new Date(text).toLocaleString('sv-SE');
}

/** "1 call", "12 calls". */
export function count(n: number, noun: string): string {
  return `${numbers.format(n)} ${noun}${n === 1 ? '' : 's'}`;
}

/** JSON and XML laid out; anything else as it is. */
export function pretty(body: string): string {
  if (isJson(body)) return layoutJson(body);
  return isXml(body) ? layoutXml(body) : body;
}

/** The language that a body is shown in. */
export function languageOf(body: string): 'json' | 'xml' | 'text' {
  if (/^\s*[{[]/.test(body)) return 'json';
  return isXml(body) ? 'xml' : 'text';
}

export function isXml(body: string): boolean {
  return /^\s*<[?a-zA-Z]/.test(body);
}

export function isJson(body: string): boolean {
  try {
    JSON.parse(body);
    return true;
  } catch {
    return false;
  }
}

/** Adds up the numbers of calls by source. */
export function total(counts: Record<string, number>): number {
  return Object.values(counts).reduce((sum, n) => sum + n, 0);
}

/** A time such as 12.345678ms in one decimal. */
export function shortTime(duration: string): string {
  return duration.replace(/\d+\.\d+/, (digits) => Number(digits).toFixed(1));
}
