import type { Call } from '@/api/types';

/** Calls that nothing fitted, taken together by method and path. */
export interface Missing {
  method: string;
  path: string;
  count: number;
  /** The latest of them. */
  last: Call;
}

/** Groups the misses of one service, in a lane or with '' in all, the most frequent first. */
export function groupMisses(calls: Call[], service: string, lane = ''): Missing[] {
  const groups = new Map<string, Missing>();
  for (const call of calls) {
    if (call.source !== 'miss' || call.service !== service) continue;
    if (lane && call.lane !== lane) continue;
    const key = `${call.method} ${call.path}`;
    const group = groups.get(key);
    if (group) group.count++;
    else groups.set(key, { method: call.method, path: call.path, count: 1, last: call });
  }
  return [...groups.values()].sort((a, b) => b.count - a.count);
}
