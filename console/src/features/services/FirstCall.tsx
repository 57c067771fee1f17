import { useSyncExternalStore } from 'react';
import { Link } from 'wouter';
import { feed } from '@/features/calls';
import { targetOf } from '@/lib/target';
import { CommandLine } from '@/ui/CommandLine';
import { SourceMark } from '@/ui/SourceMark';

interface Props {
  service: string;
  /** The line that makes one. */
  curl: string;
  onOpen?(): void;
}

/** Waits for the first call to a service, and tells what it got. */
export function FirstCall({ service, curl, onOpen }: Props) {
  const { calls } = useSyncExternalStore(feed.subscribe, feed.get);
  const call = calls.find((one) => one.service === service && one.source !== 'callback');
  return (
    <section aria-label="The first call" className="space-y-2 text-[13px]">
      <p>Point your program at this address, or try it:</p>
      <CommandLine command={curl} />
      <p role="status" className="flex flex-wrap items-center gap-2" data-arrived={call?.id}>
        {call ? (
          <>
            <strong className="font-medium text-good">A call arrived.</strong>
            <span className="font-mono text-xs">
              {call.method} {targetOf(call)}
            </span>
            got {call.status || 'no answer'} from <SourceMark source={call.source} />
            <Link
              href={`/calls?${new URLSearchParams({ call: call.id })}`}
              onClick={onOpen}
              className="font-medium text-accent underline"
            >
              See it, and why
            </Link>
          </>
        ) : (
          <>
            <span
              aria-hidden
              className="inline-block size-2 animate-pulse rounded-full bg-accent motion-reduce:animate-none"
            />
            <span className="text-dim">Waiting for the first call to {service} …</span>
          </>
        )}
      </p>
    </section>
  );
}
