import { Link } from 'wouter';
import { useStatus } from '@/api/status';
import type { Service } from '@/api/types';
import { cn } from '@/ui/cn';
import { addressOf, roomsOf } from './rooms';

/** The rooms of a service; what is on in one stands beside its word. */
export function RoomTabs({ service, room }: { service: Service; room: string }) {
  const { data } = useStatus();
  const on: Record<string, string | false | undefined> = {
    trouble: data?.impaired.some((target) => target.startsWith(service.name)) && 'on',
    recordings: data?.recording?.some((one) => one.service === service.name) && 'running',
    memory: service.memory === 'on' && 'on',
  };
  return (
    <nav aria-label={`Rooms of ${service.name}`} className="flex shrink-0 gap-1 overflow-x-auto px-3">
      {roomsOf(service).map(({ id, word }) => (
        <Link
          key={id}
          href={addressOf(service.name, id)}
          aria-current={id === room ? 'page' : undefined}
          className={cn(
            '-mb-px whitespace-nowrap border-transparent border-b-2 px-2.5 py-1.5 font-medium text-[13px] text-dim hover:text-ink',
            id === room && 'border-accent text-ink',
          )}
        >
          {word}{' '}
          {on[id] && (
            <span className={cn('ml-1 text-xs', id === 'trouble' ? 'text-impairment' : 'text-upstream')}>
              {on[id]}
            </span>
          )}
        </Link>
      ))}
      {service.contract && (
        <Link
          href={`${addressOf(service.name, '')}/docs`}
          className="ml-auto whitespace-nowrap px-2.5 py-1.5 text-[13px] text-accent hover:underline"
        >
          Documentation for callers
        </Link>
      )}
    </nav>
  );
}
