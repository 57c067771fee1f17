import { useQuery } from '@tanstack/react-query';
import { Link } from 'wouter';
import { walkList } from './queries';
import { tally } from './tally';

/** The walks through boundary values, each a link; nothing where there is none. */
export function WalkList() {
  const walks = useQuery(walkList()).data?.items ?? [];
  if (walks.length === 0) return null;
  return (
    <section className="px-5 py-4">
      <h2 className="mb-1.5 font-semibold text-[13px]">Walks through boundary values</h2>
      <ul className="space-y-1 text-[13px]">
        {walks.map((walk) => (
          <li key={walk.name} className="flex flex-wrap gap-x-3">
            <Link href={`/walks/${encodeURIComponent(walk.name)}`} className="text-accent underline">
              {walk.name}
            </Link>
            <span>{walk.ended ? 'ended' : `at ${walk.position} of ${walk.steps.length}`}</span>
            <span className="text-dim">
              {walk.at.join(', ')} of {walk.mapping ?? walk.operation}, {tally(walk)}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
