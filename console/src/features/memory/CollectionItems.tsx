import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { wrongIn } from '@/api/http';
import { keys } from '@/api/keys';
import type { Collection, RememberedItem } from '@/api/types';
import { Awaited } from '@/ui/Awaited';
import { Button } from '@/ui/Button';
import { Dialog, DialogContent } from '@/ui/Dialog';
import { notify } from '@/ui/Notices';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { TextArea } from '@/ui/TextArea';
import { bodyCell, headCell } from '@/ui/tableLook';
import { keyIn } from './keyIn';
import { mostShown, putRemembered, rememberedOf, removeRemembered } from './queries';

interface Props {
  service: string;
  lane: string;
  collection: Collection;
}

/** The items of a collection, to be looked at, changed and removed by hand. */
export function CollectionItems({ service, lane, collection }: Props) {
  const queries = useQueryClient();
  const query = useQuery(rememberedOf(service, collection.name, lane));
  const [edited, setEdited] = useState<RememberedItem | 'new'>();
  const refresh = () => queries.invalidateQueries({ queryKey: keys.memories(service) });
  const remove = useMutation({
    mutationFn: (item: RememberedItem) => removeRemembered(service, collection.name, lane, item),
    onSuccess: refresh,
    onError: (error) => notify(`It was not removed: ${error.message}`),
  });
  return (
    <div className="pb-3">
      <Awaited query={query} what="the items">
        {({ items, next }) => (
          <>
            {items.length > 0 && (
              <table aria-label="Things of the collection" className="w-full table-fixed text-[13px]">
                <thead>
                  <tr>
                    <th scope="col" className={`${headCell} w-44`}>
                      {collection.key ?? 'Key'}
                    </th>
                    <th scope="col" className={headCell}>
                      Item
                    </th>
                    <th scope="col" className={`${headCell} w-40`}>
                      <span className="sr-only">What can be done</span>
                    </th>
                  </tr>
                </thead>
                <tbody>
                  {items.map((item) => (
                    <tr key={JSON.stringify([item.key, item.under])} data-item={item.key}>
                      <td className={`${bodyCell} truncate py-1 font-medium`}>{item.key}</td>
                      <td className={`${bodyCell} truncate py-1 font-mono text-xs`}>
                        {JSON.stringify(item.value)}
                      </td>
                      <td className={`${bodyCell} whitespace-nowrap text-right`}>
                        <Button
                          look="bare"
                          className="h-7"
                          aria-label={`Edit ${item.key}`}
                          onClick={() => setEdited(item)}
                        >
                          Edit
                        </Button>
                        <Button
                          look="bare"
                          className="h-7"
                          aria-label={`Remove ${item.key}`}
                          onClick={() => remove.mutate(item)}
                        >
                          Remove
                        </Button>
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            )}
            <div className="flex items-center gap-3 px-5 pt-1 text-[13px] text-dim">
              <Button onClick={() => setEdited('new')}>Add an item</Button>
              {items.length === 0 && 'It is empty.'}
              {next && `The first ${mostShown} are shown.`}
            </div>
          </>
        )}
      </Awaited>
      <Dialog open={edited !== undefined} onOpenChange={(open) => !open && setEdited(undefined)}>
        {edited && (
          <DialogContent title={edited === 'new' ? `A new item of ${collection.name}` : edited.key}>
            <ItemForm
              service={service}
              lane={lane}
              collection={collection}
              item={edited === 'new' ? undefined : edited}
              onDone={() => {
                setEdited(undefined);
                void refresh();
              }}
            />
          </DialogContent>
        )}
      </Dialog>
    </div>
  );
}

/** An item as its document. */
function ItemForm({
  service,
  lane,
  collection,
  item,
  onDone,
}: Props & { item?: RememberedItem; onDone(): void }) {
  const [text, setText] = useState(
    JSON.stringify(item?.value ?? (collection.key ? { [collection.key]: '' } : {}), null, 2),
  );
  const put = useMutation({
    mutationFn: () =>
      putRemembered(service, collection.name, lane, {
        key: item?.key ?? keyIn(text, collection.key),
        document: text,
        under: item?.under,
      }),
    onSuccess: () => {
      notify(`${collection.name} of ${service} changed, live on the next call`);
      onDone();
    },
  });
  return (
    <form
      className="space-y-3"
      onSubmit={(event) => {
        event.preventDefault();
        put.mutate();
      }}
    >
      <TextArea label="Document" value={text} rows={16} onChange={setText} />
      <p className="text-[13px] text-dim">
        It is kept as it is, whatever the contract says of it: to try what a program does with it.
      </p>
      {put.error && <ProblemNotice message={wrongIn(put.error)} />}
      <Button look="main" type="submit" disabled={put.isPending}>
        Keep it
      </Button>
    </form>
  );
}
