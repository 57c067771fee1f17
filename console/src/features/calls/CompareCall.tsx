import { useQuery } from '@tanstack/react-query';
import { useState, useSyncExternalStore } from 'react';
import { operationDetail } from '@/api/operations';
import type { CallComparison, CallDetail, Example } from '@/api/types';
import { clock, count } from '@/lib/format';
import { Awaited } from '@/ui/Awaited';
import { CommandLine } from '@/ui/CommandLine';
import { cn } from '@/ui/cn';
import { Field } from '@/ui/Field';
import { Select } from '@/ui/Select';
import { Switch } from '@/ui/Switch';
import { feed } from './callFeed';
import { comparisonOf } from './queries';
import { sameEndpoint } from './sameEndpoint';

interface Props {
  call: CallDetail;
  /** The other call, now, mapping:ID, example:NAME or recording. */
  other: string;
  onOther(id: string): void;
}

const headings: Record<string, string> = { now: 'Now', recording: 'Recorded' };

/** How many calls of the same endpoint are offered. */
const mostOffered = 20;

/** A call beside another, or beside what it would get. */
export function CompareCall({ call, other, onOther }: Props) {
  const { calls } = useSyncExternalStore(feed.subscribe, feed.get);
  const [all, setAll] = useState(false);
  const alike = calls.filter((one) => one.id !== call.id && sameEndpoint(one, call)).slice(0, mostOffered);
  const operation = useQuery({
    ...operationDetail(call.service, call.operation ?? ''),
    enabled: !!call.operation,
  });
  const offered: [string, string][] = [
    ...(call.source === 'callback' ? [] : answersTo(call, operation.data?.examples)),
    ...alike.map((one): [string, string] => [
      one.id,
      `${one.id}, ${clock(one.at)}, ${one.status || 'no answer'}`,
    ]),
  ];
  if (!offered.some(([id]) => id === other)) offered.push([other, other]);
  const query = useQuery(comparisonOf(call.id, other, all));
  return (
    <section aria-label="Comparison" className="space-y-3 border-line border-t px-5 py-3">
      <div className="flex flex-wrap items-end gap-3">
        <Select label="Compare with" value={other} onChange={onOther} options={offered} />
        <Field
          key={other}
          label="or with a call or mapping"
          defaultValue={/^(c-|mapping:)/.test(other) ? other : ''}
          placeholder="c-81f3 or mapping:…"
          onKeyDown={(event) => {
            const id = event.currentTarget.value.trim();
            if (event.key === 'Enter' && id) onOther(id);
          }}
          className="w-52 font-mono"
        />
        <Switch label="Also what is the same" checked={all} onCheckedChange={setAll} />
      </div>
      <Awaited query={query} what="the comparison">
        {(comparison) => <Places comparison={comparison} />}
      </Awaited>
      <CommandLine command={`rapidmimic calls compare ${call.id} ${other}${all ? ' --all' : ''}`} />
    </section>
  );
}

/** What a call can be held against beside other calls: what it would get, and what was recorded. */
function answersTo(call: CallDetail, examples: Example[] = []): [string, string][] {
  return [
    ['now', 'what it would get now'],
    ...(call.source === 'mapping' && call.by
      ? [[`mapping:${call.by}`, `mapping ${call.by}, as it is now`] as [string, string]]
      : []),
    ...examples.map(({ name, status }): [string, string] => [
      `example:${name}`,
      `example ${name} of the contract, ${status}`,
    ]),
    ['recording', 'what was recorded last'],
  ];
}

function Places({ comparison }: { comparison: CallComparison }) {
  const { places, differing, more, note } = comparison;
  const there = headings[comparison.with] ?? comparison.with.replace(':', ' ');
  return (
    <>
      <p className="text-[13px]" role="status">
        {differing === 0 ? 'Nothing differs.' : `${count(differing, 'difference')}.`}{' '}
        {note && <span className="text-miss">{note} </span>}
        {more && <span className="text-miss">There are more places than are shown.</span>}
      </p>
      {places.length > 0 && (
        <div className="overflow-x-auto rounded border border-line">
          <table aria-label="Places" className="w-full table-fixed border-collapse text-xs">
            <thead>
              <tr className="bg-sunken text-left">
                <th className="w-[34%] px-2.5 py-1.5 font-medium">Place</th>
                <th className="px-2.5 py-1.5 font-medium">{comparison.call}</th>
                <th className="px-2.5 py-1.5 font-medium">{there}</th>
              </tr>
            </thead>
            <tbody className="font-mono">
              {places.map((place, i) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: places may have one name, and never move
                <tr key={i} data-differs={place.differs} className="border-line border-t align-top">
                  <td className="break-words px-2.5 py-1 text-dim">{place.at}</td>
                  <Value value={place.here} differs={place.differs} look="bg-bad-soft" />
                  <Value value={place.there} differs={place.differs} look="bg-good-soft" />
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </>
  );
}

function Value({ value, differs, look }: { value?: string; differs?: boolean; look: string }) {
  return (
    <td className={cn('whitespace-pre-wrap break-words px-2.5 py-1', differs && value !== undefined && look)}>
      {value ?? <span className="font-sans text-dim">nothing</span>}
    </td>
  );
}
