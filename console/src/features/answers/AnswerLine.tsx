import type { ReactNode } from 'react';
import { Curve } from '@/ui/Curve';
import { cn } from '@/ui/cn';
import { pulseMinutes } from './pulses';

/** The columns of what a service answers; on a small window calls give way. */
export const columns =
  'grid grid-cols-[minmax(0,4fr)_minmax(0,4fr)_minmax(0,4fr)_72px] gap-3 px-5 lg:grid-cols-[minmax(0,5fr)_minmax(0,5fr)_minmax(0,5fr)_60px_126px_72px]';

interface Props {
  method: string;
  call: ReactNode;
  what: ReactNode;
  answer: ReactNode;
  /** Its calls of the last minutes. */
  pulse?: number[];
  calls: ReactNode;
  action: ReactNode;
  /** It belongs to the line above. */
  under?: boolean;
  'data-operation'?: string;
  'data-mapping'?: string;
  'data-missing'?: string;
}

/** One line: the call, what it is, what answers it, its calls, and what can be done. */
export function AnswerLine({ method, call, what, answer, pulse, calls, action, under, ...data }: Props) {
  return (
    <div
      role="row"
      className={cn('h-full items-center border-line border-b bg-panel text-[13px]', columns)}
      {...data}
    >
      <span role="cell" className={cn('truncate font-mono text-xs', under && 'pl-4')}>
        <span className="inline-block w-[52px]">{method}</span> {call}
      </span>
      <span role="cell" className="truncate">
        {what}
      </span>
      <span role="cell" className="flex min-w-0 items-center gap-2 overflow-hidden">
        {answer}
      </span>
      <span role="cell" className="hidden lg:block">
        {pulse && (
          <Curve
            values={pulse}
            label={`${pulse.reduce((sum, n) => sum + n, 0)} calls in the last ${pulseMinutes} minutes`}
          />
        )}
      </span>
      <span role="cell" className="hidden truncate text-right text-xs lg:block">
        {calls}
      </span>
      <span role="cell" className="flex justify-end">
        {action}
      </span>
    </div>
  );
}
