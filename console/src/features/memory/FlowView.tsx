import { useMutation, useQueryClient } from '@tanstack/react-query';
import { keys } from '@/api/keys';
import type { Flow } from '@/api/types';
import { count } from '@/lib/format';
import { notify } from '@/ui/Notices';
import { Select } from '@/ui/Select';
import { FlowGraph } from './FlowGraph';
import { moveThing } from './queries';

/** How many things of a flow are listed. */
const mostListed = 20;

/** A flow as a drawing, with where its things stand, which can be changed by hand. */
export function FlowView({ service, lane, flow }: { service: string; lane: string; flow: Flow }) {
  const queries = useQueryClient();
  const move = useMutation({
    mutationFn: (thing: { of?: string; state: string }) => moveThing(service, flow.name, lane, thing),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.memories(service) }),
    onError: (error) => notify(`It was not moved: ${error.message}`),
  });
  const anywhere = flow.moves.filter((one) => !one.from && one.to);
  const things = flow.things.slice(0, mostListed);
  return (
    <section data-flow={flow.name} className="space-y-2 px-5">
      <h3 className="font-medium text-[13px]">
        Flow {flow.name}
        <span className="font-normal text-dim">
          {flow.count === 0
            ? ', nothing was moved yet: all is in the state start'
            : `, ${count(flow.count, 'thing')}`}
        </span>
      </h3>
      <FlowGraph flow={flow} />
      {anywhere.map((one) => (
        <p key={one.mapping} className="text-[13px] text-dim">
          From any state to {one.to} by {one.mapping}
        </p>
      ))}
      {things.length > 0 && (
        <ul className="flex flex-wrap gap-x-6 gap-y-1 text-[13px]">
          {things.map((thing) => (
            <li key={thing.of ?? ''} data-thing={thing.of ?? ''} className="flex items-center gap-2">
              <span className="font-medium">{thing.of || 'it'}</span>
              <Select
                quiet
                label={`State of ${thing.of || 'it'}`}
                value={thing.state}
                options={[...new Set([...flow.states, thing.state])].map((state) => [state, state])}
                onChange={(state) => move.mutate({ of: thing.of, state })}
              />
            </li>
          ))}
        </ul>
      )}
      {flow.count > things.length && (
        <p className="text-[13px] text-dim">and {count(flow.count - things.length, 'more thing')}</p>
      )}
    </section>
  );
}
