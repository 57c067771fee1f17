import { queryOptions, useQuery } from '@tanstack/react-query';
import { Link } from 'wouter';
import { send } from '@/api/http';
import { keys } from '@/api/keys';
import { inLane, useMyLane } from '@/api/myLane';
import type { RetryStory } from '@/api/types';
import { clock } from '@/lib/format';
import { word } from '@/lib/shell';
import { Awaited } from '@/ui/Awaited';
import { CommandLine } from '@/ui/CommandLine';
import { bodyCell, headCell } from '@/ui/tableLook';

function retryList(lane: string) {
  return queryOptions({
    queryKey: keys.retries(lane),
    queryFn: () => send<{ items: RetryStory[] }>(inLane('/calls/retries', lane)),
    refetchInterval: 2_000,
  });
}

const cell = `${bodyCell} py-2`;
const looks: Record<string, string> = {
  'got through': 'text-good',
  'gave up': 'text-bad',
  'still trying': 'text-dim',
};

/** How callers took it that calls failed: what they tried, when, and how it ended. */
export function RetriesPage() {
  const lane = useMyLane();
  const query = useQuery(retryList(lane));
  return (
    <div className="h-full overflow-y-auto">
      <div className="space-y-2 px-5 pt-4 pb-3">
        <h1 className="font-semibold text-lg">Retries</h1>
        <p className="text-dim text-[13px]">
          Calls {lane ? `in my lane, ${lane}, ` : ''}that failed, of the last 1,000: what the caller tried
          after, with the gaps between, and whether it waited as long as it was told to.
        </p>
        <CommandLine command={`rapidmimic calls retries${lane ? ` --lane ${word(lane)}` : ''}`} />
      </div>
      <Awaited query={query} what="the retries">
        {({ items }) =>
          items.length === 0 ? (
            <p className="px-5 text-dim">{lane ? `No call in lane ${lane} failed.` : 'No call failed.'}</p>
          ) : (
            <table
              aria-label="Calls that were tried again"
              className="w-full border-line border-t text-[13px]"
            >
              <thead>
                <tr className="border-line border-b">
                  <th className={headCell}>Began</th>
                  <th className={headCell}>Call</th>
                  <th className={headCell}>Caller</th>
                  <th className={headCell}>Attempts, with the gaps between them</th>
                  <th className={headCell}>
                    <span className="whitespace-nowrap">How it ended</span>
                  </th>
                </tr>
              </thead>
              <tbody>
                {items.map((story) => (
                  <Story key={story.attempts[0]?.id} story={story} lane={lane} />
                ))}
              </tbody>
            </table>
          )
        }
      </Awaited>
    </div>
  );
}

function Story({ story, lane }: { story: RetryStory; lane: string }) {
  return (
    <tr className="border-line border-b bg-panel" data-story={story.outcome}>
      <td className={`${cell} tabular-nums`}>{clock(story.attempts[0]?.at ?? '')}</td>
      <td className={`${cell} min-w-56 break-all font-mono text-xs`}>
        {story.method} /{story.service}
        {story.path}
        {story.query && `?${story.query}`}
        {story.operation && <span className="text-dim"> {story.operation}</span>}
        {story.lane && !lane && <span className="font-sans text-dim"> lane {story.lane}</span>}
      </td>
      <td className={`${cell} font-mono text-xs`}>{story.caller}</td>
      <td className={cell}>
        <ol className="flex flex-wrap items-baseline gap-x-2 gap-y-1">
          {story.attempts.map((attempt, i) => (
            <li key={attempt.id} className="flex items-baseline gap-2">
              {i > 0 && (
                <span className="text-dim text-xs">
                  after {(attempt.gapMs / 1000).toFixed(1)} s
                  {attempt.advisedMs ? (
                    <span className={attempt.obeyed ? 'text-good' : 'text-bad'}>
                      {' '}
                      ({attempt.obeyed ? 'waited' : 'too early, was told'} {attempt.advisedMs / 1000} s)
                    </span>
                  ) : null}
                </span>
              )}
              <Link
                href={`/calls?${new URLSearchParams({ call: attempt.id })}`}
                className="font-medium text-accent tabular-nums hover:underline"
                title={attempt.injected?.map(({ kind, what }) => `${kind}: ${what}`).join('; ')}
              >
                {attempt.status || 'none'}
              </Link>
            </li>
          ))}
        </ol>
      </td>
      <td className={`${cell} font-medium ${looks[story.outcome] ?? ''}`}>{story.outcome}</td>
    </tr>
  );
}
