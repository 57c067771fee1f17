import type { OperationPart } from '@/api/types';

const cell = 'px-3 py-1 align-top first:pl-5 last:pr-5';

/** Named values with what each must be: parameters, headers, or the places of a body. */
export function PartTable({ parts }: { parts: OperationPart[] }) {
  return (
    <table className="w-full border-line border-t text-[13px]">
      <thead className="sr-only">
        <tr>
          <th>Name</th>
          <th>Type</th>
          <th>Rules</th>
        </tr>
      </thead>
      <tbody>
        {parts.map((part) => (
          <tr key={`${part.in} ${part.name}`} className="border-line border-b bg-panel">
            <td className={`${cell} w-64 break-all font-mono text-xs leading-5`}>
              {part.name || '(the whole)'}
              {part.required && <span className="ml-1 font-sans text-dim"> required</span>}
            </td>
            <td className={`${cell} w-44`}>
              {part.type}
              {part.in && <span className="text-dim"> in {part.in}</span>}
            </td>
            <td className={`${cell} break-words text-dim`}>
              {(part.rules ?? []).join(', ')}
              {part.description && <p className="text-ink">{part.description}</p>}
              {part.example && (
                <p>
                  for example <code className="text-xs">{part.example}</code>
                </p>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
