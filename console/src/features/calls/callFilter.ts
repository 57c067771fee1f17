import { noLane } from '@/api/myLane';
import type { Call } from '@/api/types';

const lines = new WeakMap<Call, string>();

/** The text of a call that filters search; the service searches the same. */
function line(call: Call): string {
  let text = lines.get(call);
  if (text === undefined) {
    const query = call.query ? `?${call.query}` : '';
    text =
      `${call.lane ? `lane:${call.lane} ` : ''}${call.method} /${call.service}${call.path}${query} ${call.status} ${call.source} ${call.by ?? ''}${call.operation ? ` operation:${call.operation}` : ''}${(call.impaired ?? []).map((kind) => ` impaired:${kind}`).join('')}${call.deviations ? ' deviates' : ''}${call.scenario ? ` scenario:${call.scenario}` : ''}`.toLowerCase();
    lines.set(call, text);
  }
  return text;
}

/**
 * The words that the line of a call must hold, and whether the text asks for what stands in bodies
 * (body:N7, body:"two words"), which only the service can tell.
 */
export function wordsOf(text: string): { words: string[]; inBodies: boolean } {
  const parts = text.match(/body:"[^"]*"?|\S+/g) ?? [];
  return {
    words: parts.filter((part) => !part.startsWith(bodyWord)).map((part) => part.toLowerCase()),
    inBodies: parts.some((part) => part.startsWith(bodyWord) && part.length > bodyWord.length),
  };
}

const bodyWord = 'body:';

/** Selects the calls of a lane ('' for all) in whose line every word of the text occurs. */
export function filterCalls(calls: Call[], text: string, lane = ''): Call[] {
  const { words } = wordsOf(text);
  if (words.length === 0 && !lane) return calls;
  const wanted = lane === noLane ? '' : lane;
  return calls.filter(
    (call) => (!lane || (call.lane ?? '') === wanted) && words.every((word) => line(call).includes(word)),
  );
}

/** Calls are numbered in hexadecimal: c-81f3. */
export function callNumber(call: Call): number {
  return Number.parseInt(call.id.slice(2), 16);
}

/**
 * Merges two lists of calls, each the newest first, into one without repeats
 * that holds at most limit calls.
 */
export function mergeCalls(a: Call[], b: Call[], limit: number): Call[] {
  const merged: Call[] = [];
  let i = 0;
  let j = 0;
  while (merged.length < limit && (i < a.length || j < b.length)) {
    const x = a[i];
    const y = b[j];
    if (x && y && x.id === y.id) {
      merged.push(x);
      i++;
      j++;
    } else if (x && (!y || callNumber(x) > callNumber(y))) {
      merged.push(x);
      i++;
    } else if (y) {
      merged.push(y);
      j++;
    }
  }
  return merged;
}

/** Adds calls in the order of their arrival to a list that is newest first. */
export function addCalls(list: Call[], arrived: Call[], limit: number): Call[] {
  const newest = [...arrived].sort((a, b) => callNumber(b) - callNumber(a));
  const last = newest.at(-1);
  const first = list[0];
  if (last && (!first || callNumber(last) > callNumber(first))) {
    return newest.concat(list).slice(0, limit);
  }
  return mergeCalls(newest, list, limit);
}
