import { useQuery } from '@tanstack/react-query';
import { useMyLane } from '@/api/myLane';
import { Panel } from '@/ui/Panel';
import { FlowView } from './FlowView';
import { flowsOf, mostShown, valuesOf } from './queries';
import { ValueTable } from './ValueTable';

/** What mappings of a service remember, and the flows that they move; nothing where there is neither. */
export function RecallPanel({ service }: { service: string }) {
  const lane = useMyLane();
  const flows = useQuery(flowsOf(service, lane)).data?.items ?? [];
  const values = useQuery(valuesOf(service, lane)).data;
  if (flows.length === 0 && !values?.items.length) return null;
  return (
    <Panel title="Remembered by mappings">
      <div className="space-y-4">
        {flows.map((flow) => (
          <FlowView key={flow.name} service={service} lane={lane} flow={flow} />
        ))}
        {values && values.items.length > 0 && (
          <ValueTable service={service} lane={lane} values={values.items} />
        )}
        {values?.next && <p className="px-5 text-[13px] text-dim">The first {mostShown} are shown.</p>}
      </div>
    </Panel>
  );
}
