import { Link } from 'wouter';
import type { Operation } from '@/api/types';
import { cn } from '@/ui/cn';
import { groupOperations } from './operationGroups';

interface Props {
  /** What the addresses of operations begin with. */
  base: string;
  operations: Operation[];
  /** Id of the operation that is described beside the menu. */
  shown: string;
}

/** The operations to read about, by tag. */
export function OperationMenu({ base, operations, shown }: Props) {
  return (
    <nav
      aria-label="Operations"
      className="max-h-56 w-full shrink-0 overflow-y-auto border-line border-b py-2 md:max-h-none md:w-80 md:border-r md:border-b-0"
    >
      {groupOperations(operations).map((group) => (
        <div key={group.group.join('\n')} className="pb-2">
          {group.group.length > 0 && (
            <h2 className="px-5 pt-2 pb-1 font-semibold text-dim text-xs">{group.group.join(' / ')}</h2>
          )}
          <ul>
            {group.operations.map((operation) => (
              <li key={operation.id}>
                <Link
                  href={`${base}/${encodeURIComponent(operation.id)}`}
                  aria-current={operation.id === shown ? 'page' : undefined}
                  className={cn(
                    'flex gap-2 break-all py-1 pr-3 pl-5 font-mono text-xs hover:bg-sunken',
                    operation.id === shown && 'bg-sunken font-semibold',
                    operation.deprecated && 'text-dim line-through',
                  )}
                >
                  <span className="w-12 shrink-0">
                    {operation.byMessage ? operation.protocol.toUpperCase() : operation.method}
                  </span>
                  {operation.byMessage ? operation.id : operation.path}
                </Link>
              </li>
            ))}
          </ul>
        </div>
      ))}
    </nav>
  );
}
