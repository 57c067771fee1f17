import { Check, CircleSlash, Dot } from 'lucide-react';
import type { Step } from '@/api/types';
import { cn } from '@/ui/cn';
import { Quoted } from '@/ui/Quoted';
import { LoosenMapping } from './LoosenMapping';

const verdicts = {
  taken: { Icon: Check, word: 'taken', look: 'text-good' },
  skipped: { Icon: CircleSlash, word: 'skipped', look: 'text-dim' },
  noted: { Icon: Dot, word: 'noted', look: 'text-dim' },
};

/** A call that no mapping answered, and which one of them could. */
interface Missed {
  service: string;
  call: string;
}

/** Findings of conditions that a mapping can do without. */
const loose = new Set([
  'absent',
  'differs',
  'secret-unknown',
  'too-many',
  'too-often',
  'none-hold',
  'forbidden-hold',
]);

/** What was considered for a call, in order, and why each was taken or not. */
export function ExplanationView({ steps, missed }: { steps: Step[]; missed?: Missed }) {
  return (
    <ol className="space-y-1">
      {steps.map((step) => {
        const { Icon, word, look } = verdicts[step.verdict];
        return (
          <li
            key={`${step.subject}${step.reason}`}
            className="grid grid-cols-[88px_minmax(0,1fr)] gap-2 text-[13px]"
          >
            <span className={cn('flex items-center gap-1.5 self-start', look)}>
              <Icon size={14} aria-hidden className="shrink-0" />
              {word}
            </span>
            <span className="min-w-0 break-words">
              <span className="font-medium">{step.subject}</span>{' '}
              <span className="text-dim">
                <Quoted text={step.reason} />
              </span>
              {missed && step.of.kind === 'mapping' && step.of.id && loose.has(step.code) && (
                <LoosenMapping {...missed} mapping={step.of.id} />
              )}
            </span>
          </li>
        );
      })}
    </ol>
  );
}
