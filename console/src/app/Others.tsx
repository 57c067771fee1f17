import { useSyncExternalStore } from 'react';
import { Link } from 'wouter';
import { others } from '@/api/presence';
import type { Present } from '@/api/types';

const mostNamed = 3;

/** Who else has the console open; each leads to where they are. */
export function Others() {
  const here = useSyncExternalStore(others.subscribe, others.get);
  if (here.length === 0) return null;
  return (
    <span className="mr-2 flex items-center gap-1 text-dim" data-testid="others">
      also here:
      {here.slice(0, mostNamed).map((one, i) => (
        <span key={one.visitor}>
          <Link href={one.at} title={placeOf(one)} className="text-ink hover:underline">
            {one.name || 'somebody'}
          </Link>
          {one.editing && <span className="text-dim"> edits {subjectOf(one)}</span>}
          {i < Math.min(here.length, mostNamed) - 1 && ','}
        </span>
      ))}
      {here.length > mostNamed && `and ${here.length - mostNamed} more`}
    </span>
  );
}

/** What of a page somebody edits: "berth-closed". */
export function subjectOf({ at }: Pick<Present, 'at'>): string {
  const [, room = '', service = '', below = '', id = ''] = at.split('/').map(decodeURIComponent);
  if (room !== 'services') return room || 'services';
  if (below === 'mappings') return id || 'a new mapping';
  return service || 'services';
}

/** Where somebody is, in words: "mapping berth-closed of moorings". */
export function placeOf({ at }: Pick<Present, 'at'>): string {
  const [, room = '', service = '', below = '', id = ''] = at.split('/').map(decodeURIComponent);
  if (room !== 'services') return room ? `the page ${room}` : 'the services';
  if (below === 'mappings') return id ? `mapping ${id} of ${service}` : `a new mapping of ${service}`;
  return below === 'docs' ? `the documentation of ${service}` : `service ${service}`;
}
