import { useMemo } from 'react';
import type { Call } from '@/api/types';
import { clock, duration } from '@/lib/format';
import { bodyCell, headCell } from '@/ui/tableLook';
import { type GroupedBy, groupCalls } from './callGroups';

interface Props {
  calls: Call[];
  by: GroupedBy;
  /** Asks for the calls of one group. */
  onOpen(filter: string): void;
}

const shown = 300;

/** Calls taken together: how many, how they fared, how long they took. */
export function CallGroupTable({ calls, by, onOpen }: Props) {
  const groups = useMemo(() => groupCalls(calls, by), [calls, by]);
  return (
    <div className="min-h-0 flex-1 overflow-y-auto">
      <table aria-label="Groups of calls" className="w-full text-[13px]">
        <thead>
          <tr className="border-line border-b">
            <th className={headCell}>Calls of</th>
            {['Calls', 'Failed', 'Deviate', 'p50', 'p95', 'Last'].map((word) => (
              <th key={word} className={`${headCell} text-right`}>
                {word}
              </th>
            ))}
          </tr>
        </thead>
        <tbody className="tabular-nums">
          {groups.slice(0, shown).map((group) => (
            <tr key={group.name} className="border-line border-b bg-panel" data-group={group.name}>
              <td className={`${bodyCell} py-1.5 font-mono text-xs`}>
                {group.filter ? (
                  <button
                    type="button"
                    className="break-all text-left text-accent hover:underline"
                    onClick={() => onOpen(group.filter)}
                  >
                    {group.name}
                  </button>
                ) : (
                  group.name
                )}
              </td>
              <td className={`${bodyCell} py-1.5 text-right`}>{group.calls.toLocaleString('en')}</td>
              <td
                className={`${bodyCell} py-1.5 text-right ${group.failed ? 'font-medium text-bad' : 'text-dim'}`}
              >
                {group.failed || '–'}
              </td>
              <td className={`${bodyCell} py-1.5 text-right ${group.deviating ? 'text-miss' : 'text-dim'}`}>
                {group.deviating || '–'}
              </td>
              <td className={`${bodyCell} py-1.5 text-right text-dim`}>{duration(group.p50Ms)}</td>
              <td className={`${bodyCell} py-1.5 text-right text-dim`}>{duration(group.p95Ms)}</td>
              <td className={`${bodyCell} py-1.5 text-right text-dim`}>{clock(group.last.at)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {groups.length > shown && (
        <p className="px-5 py-2 text-dim text-xs">
          The first {shown} of {groups.length.toLocaleString('en')} groups; filter to see others.
        </p>
      )}
    </div>
  );
}
