import { useQuery } from '@tanstack/react-query';
import { useMemo } from 'react';
import type { Trial } from '@/api/types';
import { callDetail } from '@/features/calls';
import { parseExact, writeExact } from '@/lib/exactJson';
import type { CallKnown } from '@/ui/expressionHelp';
import { seenNames } from './seenInCall';

/** What is known of the call that a mapping is written for: its names, and what the expressions give for it. */
export function useCallKnown(trial: Trial | undefined, like: string): CallKnown {
  const path = trial?.mapping?.call.path ?? '';
  const { data: call } = useQuery({ ...callDetail(like), enabled: like !== '' });
  const seen = useMemo(() => (call ? seenNames(call, path) : []), [call, path]);
  // by its text: each trial makes values anew, and an editor that is set up anew loses its completions
  const told = useMemo(() => writeExact(trial?.values ?? []), [trial?.values]);
  const values = useMemo(() => {
    const all = parseExact(told) as NonNullable<Trial['values']>;
    return new Map(
      all.map(({ expression, value, fault }) => [
        expression,
        fault === undefined ? { value: writeExact(value) } : { fault },
      ]),
    );
  }, [told]);
  return useMemo(() => ({ seen, values }), [seen, values]);
}
