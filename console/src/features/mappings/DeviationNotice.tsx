import { TriangleAlert } from 'lucide-react';
import type { Mapping } from '@/api/types';

/** Tells that a kept answer breaks the contract: it may do so on purpose. */
export function DeviationNotice({ deviations }: { deviations: NonNullable<Mapping['deviations']> }) {
  return (
    <div role="status" className="flex gap-2.5 border-line border-b bg-sunken px-5 py-2 text-[13px]">
      <TriangleAlert size={15} aria-hidden className="mt-0.5 shrink-0 text-miss" />
      <div>
        <p className="font-medium">This answer breaks the contract. It is sent all the same.</p>
        <ul>
          {deviations.map((d) => (
            <li key={`${d.where} ${d.detail}`}>
              <code className="text-xs">{d.where}</code>: {d.detail}
            </li>
          ))}
        </ul>
      </div>
    </div>
  );
}
