import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { keys } from '@/api/keys';
import { writePins } from '@/api/pins';
import { Button } from '@/ui/Button';
import { notify, notifyChange } from '@/ui/Notices';
import { Panel } from '@/ui/Panel';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { TextArea } from '@/ui/TextArea';
import { parsePins, pinText } from './pinText';
import { serviceDocument } from './queries';

/** Fixes single fields of what an operation answers, while the rest varies. */
export function PinnedFields({ service, operation }: { service: string; operation: string }) {
  const query = useQuery(serviceDocument(service));
  if (!query.data) return null;
  const pins = query.data.pins?.[operation] ?? {};
  return <Editor key={pinText(pins)} service={service} operation={operation} pins={pins} />;
}

interface Props {
  service: string;
  operation: string;
  pins: Record<string, unknown>;
}

function Editor({ service, operation, pins }: Props) {
  const queries = useQueryClient();
  const [text, setText] = useState(pinText(pins));
  const parsed = parsePins(text);
  const save = useMutation({
    mutationFn: (pins: Record<string, unknown>) => writePins(service, operation, pins),
    onSuccess: ({ warnings = [] }) => {
      notifyChange(`The pins of ${operation} changed, live on the next call`);
      for (const { detail } of warnings) notify(`Warning: ${detail}`);
      return queries.invalidateQueries({ queryKey: keys.service(service) });
    },
  });
  return (
    <Panel title="Pinned fields">
      <form
        className="space-y-2 px-5"
        onSubmit={(event) => {
          event.preventDefault();
          if (parsed) save.mutate(parsed);
        }}
      >
        <TextArea
          label="Pins, one a line"
          value={text}
          rows={Math.max(2, text.split('\n').length)}
          onChange={setText}
          fault={parsed ? undefined : 'Each line is a JSON Pointer, =, and a value.'}
          hint={
            <>
              <code>/state = taken</code> fixes a field of what the contract answers, <code>/*/state</code>{' '}
              that of every element. <code>{'${…}'}</code> holds an expression, such as{' '}
              <code>{'${call.path.number}'}</code>.
            </>
          }
        />
        {save.isError && <ProblemNotice message={save.error.message} />}
        <Button type="submit" disabled={!parsed || text === pinText(pins) || save.isPending}>
          Set the pins
        </Button>
      </form>
    </Panel>
  );
}
