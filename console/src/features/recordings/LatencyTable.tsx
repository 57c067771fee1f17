import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { shortTime } from '@/lib/format';
import { latencies } from './queries';

/** How long operations took at the upstream while a recording ran. */
export function LatencyTable({ service, recording }: { service: string; recording: string }) {
  const [open, setOpen] = useState(false);
  const { data } = useQuery({ ...latencies(service, recording), enabled: open });
  return (
    <details className="text-[13px]" onToggle={(event) => setOpen((event.target as HTMLDetailsElement).open)}>
      <summary className="cursor-pointer text-dim text-xs">How long it took</summary>
      {data && data.items.length === 0 && <p className="text-dim text-xs">Nobody measured that.</p>}
      {data && data.items.length > 0 && (
        <table aria-label="How long operations took" className="mt-1 text-xs">
          <thead className="text-dim">
            <tr>
              <th className="pr-6 text-left font-medium">At the upstream</th>
              {['Calls', 'p50', 'p90', 'p99'].map((title) => (
                <th key={title} className="px-3 text-right font-medium">
                  {title}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {data.items.slice(0, 20).map(({ of, calls, p50, p90, p99 }) => (
              <tr key={of}>
                <td className="pr-6 font-mono">{of}</td>
                {[String(calls), shortTime(p50), shortTime(p90), shortTime(p99)].map((value, i) => (
                  // biome-ignore lint/suspicious/noArrayIndexKey: a cell is where it is
                  <td key={i} className="px-3 text-right tabular-nums">
                    {value}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </details>
  );
}
