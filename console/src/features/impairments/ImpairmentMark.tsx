import { useQuery } from '@tanstack/react-query';
import { useMyLane } from '@/api/myLane';
import { impairmentList } from './queries';

/** What is on for a service, in a few words; nothing where nothing is. */
export function ImpairmentMark({ service }: { service: string }) {
  const { data } = useQuery(impairmentList(useMyLane()));
  if (!data || data.off) return null;
  const here = data.items.filter(({ target }) => !target.service || target.service === service);
  if (here.length === 0) return null;
  return (
    <ul className="mt-0.5 text-impairment text-xs">
      {here.slice(0, 3).map(({ target, text }) => (
        <li key={JSON.stringify(target)}>
          {target.operation ?? target.mapping ?? (target.service ? '' : 'everything:')} {text}
        </li>
      ))}
      {here.length > 3 && <li>and {here.length - 3} more</li>}
    </ul>
  );
}
