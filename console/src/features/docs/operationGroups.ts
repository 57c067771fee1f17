import type { Operation } from '@/api/types';

export interface OperationGroup {
  /** The tag that its operations share; "" for those without one. */
  tag: string;
  operations: Operation[];
}

/** Groups operations by their first tag, in the order in which tags appear; those without one come last. */
export function groupOperations(operations: Operation[]): OperationGroup[] {
  const groups = new Map<string, Operation[]>();
  for (const operation of operations) {
    const tag = operation.tags?.[0] ?? '';
    groups.set(tag, [...(groups.get(tag) ?? []), operation]);
  }
  return [...groups]
    .map(([tag, members]) => ({ tag, operations: members }))
    .sort((a, b) => Number(a.tag === '') - Number(b.tag === ''));
}
