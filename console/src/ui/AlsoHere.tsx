import { useSyncExternalStore } from 'react';
import { useLocation } from 'wouter';
import { others } from '@/api/presence';

/** Tells of those who have the very page open, too, before two edits meet. */
export function AlsoHere() {
  const [page] = useLocation();
  const here = useSyncExternalStore(others.subscribe, others.get).filter((one) => one.at === page);
  if (here.length === 0) return null;
  const names = here.map((one) => one.name || 'somebody').join(', ');
  return (
    <p role="status" className="border-line border-b bg-sunken px-5 py-1.5 text-[13px]">
      <strong className="font-medium">{names}</strong> {here.length === 1 ? 'has' : 'have'} this open, too.
    </p>
  );
}
