import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { keys } from '@/api/keys';
import type { Recording, RecordingReport } from '@/api/types';
import { clock, count } from '@/lib/format';
import { Button } from '@/ui/Button';
import { notify } from '@/ui/Notices';
import { MakingFields } from './MakingFields';
import { latestCalls, type Making, stopRecording } from './queries';

interface Props {
  service: string;
  recording: Recording;
  onStopped(report: RecordingReport): void;
}

/** A recording that runs: what it captured lately, and how to end it. */
export function RunningRecording({ service, recording, onStopped }: Props) {
  const queries = useQueryClient();
  const { data } = useQuery(latestCalls(service, recording.id, 6));
  const [how, setHow] = useState<Making>({});
  const stop = useMutation({
    mutationFn: (onlyKeep: boolean) => stopRecording(service, recording.id, { onlyKeep, ...how }),
    onSuccess: async (report) => {
      onStopped(report);
      await queries.invalidateQueries({ queryKey: keys.services() });
    },
    onError: (error) => notify(`It goes on: ${error.message}`),
  });
  const calls = data?.items ?? [];
  return (
    <div className="space-y-2 rounded border border-upstream px-3 py-2">
      <div className="flex flex-wrap items-center gap-3 text-[13px]">
        <p role="status">
          <strong className="text-upstream">Recording “{recording.name}”</strong>{' '}
          <span className="text-dim">
            since {clock(recording.started)}, {count(recording.calls, 'call')} captured
          </span>
        </p>
        <Button look="main" disabled={stop.isPending} onClick={() => stop.mutate(false)}>
          Stop and answer from it
        </Button>
        <Button disabled={stop.isPending} onClick={() => stop.mutate(true)}>
          Stop, only keep it
        </Button>
      </div>
      <details className="text-[13px]">
        <summary className="cursor-pointer text-dim text-xs">How mappings are made of it</summary>
        <div className="mt-1.5">
          <MakingFields how={how} change={setHow} />
        </div>
      </details>
      <ol className="font-mono text-xs">
        {calls.toReversed().map((call) => (
          <li key={call.id}>
            <span className="text-dim">{clock(call.at)}</span> {call.method} {call.path}
            {call.query && `?${call.query}`} <span className="text-dim">{call.status}</span>
          </li>
        ))}
      </ol>
    </div>
  );
}
