import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { keys } from '@/api/keys';
import { useMyLane } from '@/api/myLane';
import type { Memory } from '@/api/types';
import { count } from '@/lib/format';
import { word } from '@/lib/shell';
import { Awaited } from '@/ui/Awaited';
import { Button } from '@/ui/Button';
import { CommandLine } from '@/ui/CommandLine';
import { notify } from '@/ui/Notices';
import { CollectionItems } from './CollectionItems';
import { memoryOf, resetMemory } from './queries';

/** What a service remembers of the calls that it got: each collection, and what is done to it. */
export function MemoryPanel({ service }: { service: string }) {
  const lane = useMyLane();
  const query = useQuery(memoryOf(service, lane));
  return (
    <Awaited query={query} what="the memory">
      {(memory) =>
        memory.on ? (
          <Collections service={service} lane={lane} memory={memory} />
        ) : (
          <div className="space-y-2 px-5">
            <p className="max-w-[820px] text-[13px] text-dim">
              The service forgets each call. With memory on, what a program creates comes back in lists and
              reads, can be changed, and is gone when it is deleted, as the contract says.
            </p>
            <CommandLine command={`rapidmimic service set ${word(service)} --memory on`} />
          </div>
        )
      }
    </Awaited>
  );
}

function Collections({ service, lane, memory }: { service: string; lane: string; memory: Memory }) {
  const queries = useQueryClient();
  const [open, setOpen] = useState('');
  const reset = useMutation({
    mutationFn: () => resetMemory(service, lane),
    onSuccess: () => {
      notify(`${service} is back at its starting data`);
      return queries.invalidateQueries({ queryKey: keys.memories(service) });
    },
    onError: (error) => notify(`Nothing was reset: ${error.message}`),
  });
  return (
    <div className="space-y-3">
      {memory.collections.length === 0 && (
        <p className="px-5 text-dim">No collection was found in the contract.</p>
      )}
      <ul className="border-line border-y">
        {memory.collections.map((one) => (
          <li key={one.name} data-collection={one.name} className="border-line border-b last:border-b-0">
            <div className="flex flex-wrap items-center gap-x-4 gap-y-1 px-5 py-2 text-[13px]">
              <strong className="font-medium">{one.name}</strong>
              <span className="tabular-nums">{count(one.items, 'item')}</span>
              <code className="text-dim text-xs">{one.item ?? one.at}</code>
              {one.parent && <span className="text-dim">below {one.parent}</span>}
              <span className="text-dim">{[...new Set(one.operations.map((op) => op.does))].join(', ')}</span>
              <Button
                look="bare"
                className="ml-auto h-7"
                aria-expanded={open === one.name}
                onClick={() => setOpen(open === one.name ? '' : one.name)}
              >
                {open === one.name ? 'Hide the items' : 'Show the items'}
              </Button>
            </div>
            {open === one.name && <CollectionItems service={service} lane={lane} collection={one} />}
          </li>
        ))}
      </ul>
      <div className="space-y-2 px-5">
        {memory.stateless.length > 0 && (
          <details className="text-[13px]">
            <summary className="cursor-pointer text-dim">
              {count(memory.stateless.length, 'operation')} answered without memory
            </summary>
            <ul className="mt-1 space-y-0.5">
              {memory.stateless.map((one) => (
                <li key={one.operation}>
                  <code className="text-xs">{one.call}</code> <span className="text-dim">{one.why}</span>
                </li>
              ))}
            </ul>
          </details>
        )}
        {memory.evicted ? (
          <p className="font-medium text-[13px] text-miss" role="status">
            {count(memory.evicted, 'item')} forgotten for others, since there were too many.
          </p>
        ) : null}
        <div className="flex flex-wrap items-center gap-3">
          <Button onClick={() => reset.mutate()} disabled={reset.isPending}>
            Back to the starting data
          </Button>
          <span className="text-[13px] text-dim">{whose(lane, memory.own)}</span>
        </div>
        <CommandLine
          command={`rapidmimic memory reset ${word(service)}${lane ? ` --lane ${word(lane)}` : ''}`}
        />
      </div>
    </div>
  );
}

/** Whose memory it is that is shown. */
function whose(lane: string, own?: boolean): string {
  if (!lane) return 'What calls in no lane find. A lane has a copy of its own once it is written to.';
  return own
    ? `What calls in lane ${lane} find: a copy of its own.`
    : `Lane ${lane} finds what everybody does, until it is written to.`;
}
