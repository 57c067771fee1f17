import type { Call, Entry } from '@/api/types';

/** A change that is told between the calls, and the row at which it stands. */
export interface ChangeLine {
  entry: Entry;
  row: number;
}

/**
 * Where changes stand among calls, both the newest first: each above the calls that came before it.
 * Changes of services that have no call here are left out, and those from before the oldest call.
 */
export function changeLines(calls: Call[], entries: Entry[]): ChangeLine[] {
  const oldest = calls.at(-1);
  if (!oldest || entries.length === 0) return [];
  let services: Set<string> | undefined; // all calls are gone through for it, which most lists do not need
  const lines: ChangeLine[] = [];
  for (const entry of entries) {
    const place = firstBefore(calls, Date.parse(entry.at));
    if (place === calls.length) break;
    if (entry.services?.length) {
      services ??= new Set(calls.map(({ service }) => service));
      if (!entry.services.some((name) => services?.has(name))) continue;
    }
    lines.push({ entry, row: place + lines.length });
  }
  return lines;
}

/** The index of the first call that did not come after a time. */
function firstBefore(calls: Call[], time: number): number {
  let low = 0;
  let high = calls.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    const call = calls[middle];
    if (call && Date.parse(call.at) > time) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** What stands in a row: a change, or else the call with this index. */
export function rowAt(lines: ChangeLine[], row: number): { entry: Entry } | { call: number } {
  let low = 0;
  let high = lines.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((lines[middle]?.row ?? 0) <= row) low = middle + 1;
    else high = middle;
  }
  const line = lines[low - 1];
  return line?.row === row ? { entry: line.entry } : { call: row - low };
}

/** The row of the call with this index. */
export function rowOf(lines: ChangeLine[], call: number): number {
  let row = call;
  for (const line of lines) {
    if (line.row > row) break;
    row++;
  }
  return row;
}
