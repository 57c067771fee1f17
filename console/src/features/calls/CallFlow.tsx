import { memo, useMemo } from 'react';
import type { Call } from '@/api/types';
import { clock, duration } from '@/lib/format';
import { targetOf } from '@/lib/target';
import { useEvery } from '@/lib/useEvery';
import { cn } from '@/ui/cn';
import { SourceMark } from '@/ui/SourceMark';
import { flowOf, type Step } from './callFlow';
import { failed } from './callGroups';

interface Props {
  /** The newest first. */
  calls: Call[];
  selected?: string;
  onSelect(id: string): void;
}

/** More than these nobody follows with the eye. */
const most = 300;
/** A pause of so many milliseconds is drawn. */
const pause = 1_000;

/** How often it is drawn anew at most, in milliseconds: it is to be read. */
const drawEvery = 2_000;

/** Calls as a sequence: who called whom, one below the other, the first on top. */
export function CallFlow({ calls, selected, onSelect }: Props) {
  return <Flow calls={useEvery(calls, drawEvery)} selected={selected} onSelect={onSelect} />;
}

const Flow = memo(function Flow({ calls, selected, onSelect }: Props) {
  const { participants, steps } = useMemo(() => flowOf(calls.slice(0, most)), [calls]);
  const middle = (place: number) => ((place + 0.5) / participants.length) * 100;
  return (
    <div className="min-h-0 flex-1 overflow-auto">
      <div style={{ minWidth: participants.length * 130 + 100 }}>
        <div className="sticky top-0 z-10 flex border-line border-b bg-panel py-1.5 text-[13px]">
          <span className="w-[100px] shrink-0 px-5 text-dim text-xs">Time</span>
          {participants.map(({ key, name }) => (
            <span key={key} className="min-w-0 flex-1 truncate text-center font-medium" title={name}>
              {name}
            </span>
          ))}
        </div>
        <div className="relative">
          <div className="absolute inset-y-0 right-0 left-[100px]" aria-hidden="true">
            {participants.map(({ key }, place) => (
              <span
                key={key}
                className="absolute inset-y-0 border-line border-l border-dashed"
                style={{ left: `${middle(place)}%` }}
              />
            ))}
          </div>
          <ol aria-label="Flow of calls, the first on top">
            {steps.map((step) => (
              <li
                key={step.call.id}
                className="relative [contain-intrinsic-size:auto_46px] [content-visibility:auto]"
              >
                {step.gapMs >= pause && (
                  <p className="relative py-1 pl-[100px] text-center text-dim text-xs">
                    <span className="bg-ground px-2">{duration(step.gapMs)} later</span>
                  </p>
                )}
                <FlowStep
                  step={step}
                  who={`${participants[step.from]?.name} calls ${participants[step.to]?.name}`}
                  middle={middle}
                  selected={step.call.id === selected}
                  onSelect={onSelect}
                />
              </li>
            ))}
          </ol>
        </div>
        {calls.length > most && (
          <p className="px-5 py-2 text-dim text-xs">
            The last {most} of {calls.length.toLocaleString('en')} calls; filter to see others.
          </p>
        )}
      </div>
    </div>
  );
});

interface StepProps {
  step: Step;
  /** Between whom it went, in words. */
  who: string;
  middle(place: number): number;
  selected: boolean;
  onSelect(id: string): void;
}

function FlowStep({ step: { call, from, to, afterMs }, who, middle, selected, onSelect }: StepProps) {
  const [left, right] = [Math.min(middle(from), middle(to)), Math.max(middle(from), middle(to))];
  const bad = failed(call);
  return (
    <button
      type="button"
      data-flow={call.id}
      aria-pressed={selected}
      onClick={() => onSelect(call.id)}
      className={cn(
        'relative flex w-full items-stretch text-left text-[13px] hover:bg-sunken/60',
        selected && 'bg-sunken/60 shadow-[inset_3px_0_0_var(--accent)]',
      )}
    >
      <span className="w-[100px] shrink-0 px-5 py-2 text-dim text-xs tabular-nums">
        {afterMs > 0 ? `+${duration(afterMs)}` : clock(call.at)}
      </span>
      <span className="sr-only">{who}</span>
      <span className="relative h-[46px] min-w-0 flex-1">
        <span
          className="absolute top-1 flex flex-col items-center overflow-hidden px-2"
          style={{ left: `${left}%`, width: `${right - left}%` }}
        >
          <span
            className="max-w-full truncate bg-ground px-1 font-mono text-xs"
            title={`${call.method} ${targetOf(call)}`}
          >
            {call.method} {call.path}
          </span>
        </span>
        <Arrow left={left} right={right} back={from > to} bad={bad} />
        <span
          className="absolute top-[27px] flex justify-center overflow-hidden px-2 text-xs"
          style={{ left: `${left}%`, width: `${right - left}%` }}
        >
          <span className="flex max-w-full items-center gap-1.5 truncate bg-ground px-1">
            <span className={bad ? 'font-semibold text-bad' : ''}>{call.status || 'no answer'}</span>
            <span className="text-dim tabular-nums">{duration(call.tookMs)}</span>
            <SourceMark source={call.source} />
          </span>
        </span>
      </span>
    </button>
  );
}

/** The line from one to the other, with a head where it ends. */
function Arrow({ left, right, back, bad }: { left: number; right: number; back: boolean; bad: boolean }) {
  return (
    <span
      aria-hidden="true"
      className={cn('absolute top-[24px] h-px', bad ? 'bg-bad' : 'bg-dim')}
      style={{ left: `${left}%`, width: `${right - left}%` }}
    >
      <span
        className={cn(
          'absolute -top-[3px] border-y-[3.5px] border-y-transparent',
          back ? 'left-0 border-r-[7px]' : 'right-0 border-l-[7px]',
          back ? (bad ? 'border-r-bad' : 'border-r-dim') : bad ? 'border-l-bad' : 'border-l-dim',
        )}
      />
    </span>
  );
}
