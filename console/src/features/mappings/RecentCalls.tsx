import { ChevronDown, ChevronRight } from 'lucide-react';
import { useState } from 'react';
import type { Trial, TrialCall } from '@/api/types';
import { clock } from '@/lib/format';
import { cn } from '@/ui/cn';
import { Quoted } from '@/ui/Quoted';
import { TrialResult } from './TrialResult';

interface Props {
  trial: { data?: Trial; isFetching: boolean };
  /** It is too large to be tried while it is typed. */
  large: boolean;
  /** The call whose answer is shown. */
  chosen: string;
  choose(id: string): void;
}

/** Which of the last calls a mapping would answer, which not and why; nothing is saved yet. */
export function RecentCalls({ trial, large, chosen, choose }: Props) {
  const [open, setOpen] = useState(true);
  const calls = trial.data?.calls ?? [];
  const answered = calls.filter((call) => call.answers).length;
  const Chevron = open ? ChevronDown : ChevronRight;
  return (
    <section aria-label="On recent calls" className="shrink-0 border-line border-t bg-panel">
      <button
        type="button"
        aria-expanded={open}
        onClick={() => setOpen(!open)}
        className="flex w-full items-center gap-1.5 px-5 py-1.5 text-left text-[13px]"
      >
        <Chevron size={14} aria-hidden />
        <span className="font-semibold">On recent calls</span>
        <span className="text-dim" role="status">
          {large ? 'not tried while it is typed: it is large' : summary(trial.data, calls.length, answered)}
        </span>
        {trial.data?.problem && <span className="font-medium text-miss">{trial.data.problem}</span>}
      </button>
      {open && !large && calls.length > 0 && (
        <div className="grid h-[168px] md:grid-cols-[minmax(0,4fr)_minmax(0,3fr)]">
          <div className="overflow-y-auto border-line border-t">
            <table aria-label="Recent calls" className="w-full text-xs">
              <tbody>
                {calls.map((call) => (
                  <CallRow key={call.id} call={call} chosen={chosen === call.id} choose={choose} />
                ))}
              </tbody>
            </table>
          </div>
          <TrialResult result={chosen ? trial.data?.result : undefined} />
        </div>
      )}
    </section>
  );
}

function summary(trial: Trial | undefined, all: number, answered: number): string {
  if (!trial) return 'not tried yet';
  if (trial.faults.length > 0) return `not usable yet: ${trial.faults[0]?.detail}`;
  if (all === 0) return 'there are none';
  return `it would answer ${answered} of the last ${all}`;
}

function CallRow({ call, chosen, choose }: { call: TrialCall; chosen: boolean; choose(id: string): void }) {
  const target = call.query ? `${call.path}?${call.query}` : call.path;
  return (
    <tr className={cn('border-line border-b', chosen && 'bg-sunken')}>
      <td className="w-[86px] whitespace-nowrap py-1 pr-3 pl-5 text-dim tabular-nums">{clock(call.at)}</td>
      <td className="max-w-0 py-1 pr-2">
        <button
          type="button"
          title="Show what it would get"
          onClick={() => choose(chosen ? '' : call.id)}
          className="block w-full truncate text-left font-mono hover:underline"
        >
          {call.method} {target}
        </button>
      </td>
      <td className="w-1/2 max-w-0 truncate py-1 pr-3" title={call.reason}>
        {call.answers ? (
          <span className="font-medium text-mapping">answers it</span>
        ) : (
          <span className="text-dim">
            no: <Quoted text={call.reason ?? ''} />
          </span>
        )}
      </td>
    </tr>
  );
}
