import { useQueryClient } from '@tanstack/react-query';
import { keys } from '@/api/keys';
import { myLane } from '@/api/myLane';
import type { OperationDetail } from '@/api/types';
import { SendCall } from '@/features/calls/SendCall';
import { pretty } from '@/lib/format';
import { Panel } from '@/ui/Panel';

/** A call that works as it stands, to be changed and sent. */
export function TestCallForm({ service, detail }: { service: string; detail: OperationDetail }) {
  const queries = useQueryClient();
  return (
    <Panel title="Send a test call">
      <div className="px-5">
        <SendCall
          service={service}
          lane={myLane.get()}
          method={detail.method}
          path={detail.try.path}
          headers={detail.try.headers}
          body={detail.takes.length > 0 ? pretty(detail.try.body ?? '') : undefined}
          onSent={() => queries.invalidateQueries({ queryKey: keys.operations(service) })}
        />
      </div>
    </Panel>
  );
}
