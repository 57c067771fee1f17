import type { Operation } from '@/api/types';

export interface OperationGroup {
  /** What its operations stand under, outermost first; empty for those without a tag. */
  group: string[];
  operations: Operation[];
}

/** Groups operations by their tag, in the order in which tags appear; those without one come last. */
export function groupOperations(operations: Operation[]): OperationGroup[] {
  const groups = new Map<string, OperationGroup>();
  for (const operation of operations) {
    const group = operation.group ?? [];
    const key = group.join('\n');
    const known = groups.get(key);
    if (known) known.operations.push(operation);
    else groups.set(key, { group, operations: [operation] });
  }
  return [...groups.values()].sort((a, b) => Number(a.group.length === 0) - Number(b.group.length === 0));
}
