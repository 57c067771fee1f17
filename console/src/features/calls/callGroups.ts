import type { Call } from '@/api/types';

/** By what calls are taken together. */
export type GroupedBy = 'endpoint' | 'status' | 'caller' | 'lane' | 'answer' | 'trace';

export const groupings: [GroupedBy, string][] = [
  ['endpoint', 'by endpoint'],
  ['status', 'by status'],
  ['answer', 'by who answered'],
  ['caller', 'by caller'],
  ['lane', 'by lane'],
  ['trace', 'by trace'],
];

/** Calls of one kind. */
export interface CallsOfOne {
  name: string;
  calls: number;
  failed: number;
  deviating: number;
  p50Ms: number;
  p95Ms: number;
  /** The latest of them. */
  last: Call;
  /** What a filter says of them. */
  filter: string;
}

const quoted = (value: string) => (/\s/.test(value) ? `"${value}"` : value);

/** What a call is told by, and the words of a filter that ask for its like. */
const kinds: Record<GroupedBy, (call: Call) => [name: string, filter: string]> = {
  endpoint: (call) =>
    call.operation
      ? [
          `${call.service}  ${call.method} ${call.operation}`,
          `service:${call.service} operation:${quoted(call.operation)}`,
        ]
      : [
          `${call.service}  ${call.method} ${call.path}`,
          `service:${call.service} method:${call.method} path:${quoted(call.path)}`,
        ],
  status: (call) => [call.status ? String(call.status) : 'no answer', `status:${call.status || 'none'}`],
  answer: (call) => [
    `${call.source}  ${call.by ?? ''}`.trim(),
    `source:${call.source} ${quoted(call.by ?? '')}`.trim(),
  ],
  caller: (call) => [call.agent ?? 'without a User-Agent', call.agent ? `agent:${quoted(call.agent)}` : ''],
  trace: (call) => [call.trace ?? 'in no trace', call.trace ? `trace:${call.trace}` : ''],
  lane: (call) => [call.lane ? `lane ${call.lane}` : 'in no lane', call.lane ? `lane:${call.lane}` : ''],
};

/** Takes calls together, the newest first, into groups with the most calls first. */
export function groupCalls(calls: Call[], by: GroupedBy): CallsOfOne[] {
  const groups = new Map<string, Call[]>();
  for (const call of calls) {
    const [name] = kinds[by](call);
    const members = groups.get(name);
    if (members) members.push(call);
    else groups.set(name, [call]);
  }
  return [...groups]
    .map(([name, members]) => groupOf(name, members, by))
    .sort((a, b) => b.calls - a.calls || a.name.localeCompare(b.name));
}

function groupOf(name: string, members: Call[], by: GroupedBy): CallsOfOne {
  const [last] = members as [Call];
  const took = members.map(({ tookMs }) => tookMs).sort((a, b) => a - b);
  const at = (share: number) => took[Math.min(took.length - 1, Math.floor(share * took.length))] ?? 0;
  return {
    name,
    calls: members.length,
    failed: members.filter(failed).length,
    deviating: members.filter(({ deviations }) => deviations).length,
    p50Ms: at(0.5),
    p95Ms: at(0.95),
    last,
    filter: kinds[by](last)[1],
  };
}

/** Whether a caller would have reason to try again, as the service counts it. */
export function failed({ status }: Call): boolean {
  return status === 0 || status === 429 || status >= 499;
}
