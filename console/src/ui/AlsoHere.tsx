import { useSyncExternalStore } from 'react';
import { useLocation } from 'wouter';
import { others } from '@/api/presence';

/** Tells of those who have the very page open, too, before two edits meet. */
export function AlsoHere() {
  const [page] = useLocation();
  const here = useSyncExternalStore(others.subscribe, others.get).filter((one) => one.at === page);
  if (here.length === 0) return null;
  const editing = here.filter((one) => one.editing);
  const names = (editing.length ? editing : here).map((one) => one.name || 'somebody').join(', ');
  const alone = (editing.length || here.length) === 1;
  return (
    <p role="status" className="border-line border-b bg-sunken px-5 py-1.5 text-[13px]">
      <strong className="font-medium">{names}</strong>{' '}
      {editing.length ? `${alone ? 'is' : 'are'} editing this` : `${alone ? 'has' : 'have'} this open, too`}.
    </p>
  );
}
