import type { Call, Service } from '@/api/types';

/** Calls of one kind, taken together by method and path. */
export interface CallGroup {
  method: string;
  path: string;
  count: number;
  /** The latest of them. */
  last: Call;
}

/** Groups the misses of one service, in a lane or with '' in all, the most frequent first. */
export function groupMisses(calls: Call[], service: string, lane = ''): CallGroup[] {
  return group(calls.filter((call) => call.source === 'miss' && isOf(call, service, lane)));
}

/** Groups likewise the relayed calls to addresses that no operation of the contract describes. */
export function groupUndescribed(calls: Call[], service: Service, lane = ''): CallGroup[] {
  if (!service.contract) return [];
  return group(
    calls.filter((call) => call.source === 'upstream' && !call.operation && isOf(call, service.name, lane)),
  );
}

function isOf(call: Call, service: string, lane: string): boolean {
  return !call.ignored && call.service === service && (!lane || call.lane === lane);
}

function group(calls: Call[]): CallGroup[] {
  const groups = new Map<string, CallGroup>();
  for (const call of calls) {
    const key = `${call.method} ${call.path}`;
    const group = groups.get(key);
    if (group) group.count++;
    else groups.set(key, { method: call.method, path: call.path, count: 1, last: call });
  }
  return [...groups.values()].sort((a, b) => b.count - a.count);
}
