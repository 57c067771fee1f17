import { useQuery } from '@tanstack/react-query';
import { Awaited } from '@/ui/Awaited';
import { DiffView } from '@/ui/DiffView';
import { entryDetail } from './queries';

/** How many documents of an entry are drawn. */
const mostShown = 20;

/** The documents that an entry changed, before and after. */
export function EntryItems({ id }: { id: string }) {
  const query = useQuery(entryDetail(id));
  return (
    <Awaited query={query} what="what it changed">
      {({ items, by, via, from }) => (
        <div className="space-y-3 px-12 pb-3">
          <p className="text-dim text-xs">
            {by || 'nobody in particular'}
            {via && `, by ${via}`}
            {from && `, from ${from}`}
          </p>
          {items.slice(0, mostShown).map((item) => (
            <section key={`${item.kind} ${item.service} ${item.id}`}>
              <h3 className="mb-1 font-medium text-[13px]">
                {item.outcome} {item.kind} {item.id}{' '}
                {item.kind === 'service' ? item.service : item.service && `of ${item.service}`}
              </h3>
              <DiffView before={item.before ?? ''} after={item.after ?? ''} titles={['Before', 'After']} />
            </section>
          ))}
          {items.length > mostShown && (
            <p className="text-dim text-xs">
              and {items.length - mostShown} more: rapidmimic activity show {id}
            </p>
          )}
        </div>
      )}
    </Awaited>
  );
}
