import { useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { useSearchParams } from 'wouter';
import { serviceList } from '@/features/services';
import { word } from '@/lib/shell';
import { Awaited } from '@/ui/Awaited';
import { Button } from '@/ui/Button';
import { CommandLine } from '@/ui/CommandLine';
import { Field } from '@/ui/Field';
import { Select } from '@/ui/Select';
import { EntryLine } from './EntryLine';
import { Marks } from './Marks';
import { activityList } from './queries';

/** Who changed what, a sentence a line, each with the way back. */
export function ActivityPage() {
  const [search, setSearch] = useSearchParams();
  const service = search.get('service') ?? '';
  const by = search.get('by') ?? '';
  const query = useInfiniteQuery(activityList({ service, by }));
  const services = useQuery(serviceList());
  const look = (change: { service?: string; by?: string }) => {
    const next = { service, by, ...change };
    setSearch(Object.fromEntries(Object.entries(next).filter(([, value]) => value)), { replace: true });
  };
  return (
    <div className="h-full overflow-y-auto">
      <div className="space-y-2 px-5 pt-4 pb-3">
        <h1 className="font-semibold text-lg">Activity</h1>
        <p className="max-w-[820px] text-[13px] text-dim">
          Who changed what, by whichever way: here, by command, the API or a folder. Each change can be taken
          back as a whole, unless something that it is about was changed since; an undo can be undone. A
          service that was removed is kept for 30 days.
        </p>
        <Marks />
        <div className="flex flex-wrap items-end gap-4">
          <Select
            label="About"
            value={service}
            onChange={(name) => look({ service: name })}
            options={[
              ['', 'everything'],
              ...(services.data?.items ?? []).map(({ name }): [string, string] => [name, name]),
            ]}
          />
          <Field
            label="By"
            value={by}
            placeholder="anybody"
            onChange={(event) => look({ by: event.target.value })}
          />
          <CommandLine
            command={`rapidmimic activity${service && ` --service ${word(service)}`}${by && ` --by ${word(by)}`}`}
          />
        </div>
      </div>
      <Awaited query={query} what="the activity">
        {({ pages }) => {
          const entries = pages.flatMap(({ items }) => items);
          if (entries.length === 0)
            return <p className="border-line border-t px-5 py-3 text-dim">Nothing was changed.</p>;
          return (
            <ol className="border-line border-t">
              {entries.map((entry, i) => (
                <EntryLine key={entry.id} entry={entry} day={dayBetween(entries[i - 1]?.at, entry.at)} />
              ))}
            </ol>
          );
        }}
      </Awaited>
      {query.hasNextPage && (
        <div className="px-5 py-3">
          <Button disabled={query.isFetchingNextPage} onClick={() => query.fetchNextPage()}>
            Show earlier ones
          </Button>
        </div>
      )}
    </div>
  );
}

/** The day of an entry where the one above it is of another day, or there is none above. */
function dayBetween(above: string | undefined, at: string): string | undefined {
  const day = (moment: string) => new Date(moment).toDateString();
  if (above !== undefined && day(above) === day(at)) return undefined;
  if (day(at) === new Date().toDateString()) return above === undefined ? undefined : 'Today';
  return new Date(at).toLocaleDateString(undefined, { weekday: 'long', day: 'numeric', month: 'long' });
}
