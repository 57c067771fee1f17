import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { wrongIn } from '@/api/http';
import { keys } from '@/api/keys';
import type { RememberedValue } from '@/api/types';
import { Button } from '@/ui/Button';
import { Dialog, DialogContent } from '@/ui/Dialog';
import { notify } from '@/ui/Notices';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { TextArea } from '@/ui/TextArea';
import { bodyCell, headCell } from '@/ui/tableLook';
import { putValue, removeValue } from './queries';

interface Props {
  service: string;
  lane: string;
  values: RememberedValue[];
}

/** What mappings remember under keys, to be changed and forgotten by hand. */
export function ValueTable({ service, lane, values }: Props) {
  const queries = useQueryClient();
  const [edited, setEdited] = useState<RememberedValue>();
  const refresh = () => queries.invalidateQueries({ queryKey: keys.memories(service) });
  const forget = useMutation({
    mutationFn: (key: string) => removeValue(service, key, lane),
    onSuccess: refresh,
    onError: (error) => notify(`It was not forgotten: ${error.message}`),
  });
  return (
    <>
      <table aria-label="Values" className="w-full table-fixed text-[13px]">
        <thead>
          <tr>
            <th scope="col" className={`${headCell} w-56`}>
              Key
            </th>
            <th scope="col" className={headCell}>
              Value
            </th>
            <th scope="col" className={`${headCell} w-44`}>
              Until
            </th>
            <th scope="col" className={`${headCell} w-40`}>
              <span className="sr-only">What can be done</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {values.map((one) => (
            <tr key={one.key} data-value={one.key}>
              <td className={`${bodyCell} truncate py-1 font-medium`}>{one.key}</td>
              <td className={`${bodyCell} truncate py-1 font-mono text-xs`}>{JSON.stringify(one.value)}</td>
              <td className={`${bodyCell} py-1 text-dim tabular-nums`}>
                {one.until && new Date(one.until).toLocaleTimeString('en-GB')}
              </td>
              <td className={`${bodyCell} whitespace-nowrap text-right`}>
                <Button
                  look="bare"
                  className="h-7"
                  aria-label={`Change ${one.key}`}
                  onClick={() => setEdited(one)}
                >
                  Change
                </Button>
                <Button
                  look="bare"
                  className="h-7"
                  aria-label={`Forget ${one.key}`}
                  onClick={() => forget.mutate(one.key)}
                >
                  Forget
                </Button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <Dialog open={edited !== undefined} onOpenChange={(open) => !open && setEdited(undefined)}>
        {edited && (
          <DialogContent title={edited.key}>
            <ValueForm
              service={service}
              lane={lane}
              value={edited}
              onDone={() => {
                setEdited(undefined);
                void refresh();
              }}
            />
          </DialogContent>
        )}
      </Dialog>
    </>
  );
}

function ValueForm({
  service,
  lane,
  value,
  onDone,
}: Omit<Props, 'values'> & { value: RememberedValue; onDone(): void }) {
  const [text, setText] = useState(JSON.stringify(value.value, null, 2));
  const put = useMutation({
    mutationFn: () => putValue(service, value.key, lane, text),
    onSuccess: () => {
      notify(`${value.key} changed, live on the next call`);
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
      <TextArea label="Value" value={text} rows={8} onChange={setText} />
      {put.error && <ProblemNotice message={wrongIn(put.error)} />}
      <Button look="main" type="submit" disabled={put.isPending}>
        Keep it
      </Button>
    </form>
  );
}
