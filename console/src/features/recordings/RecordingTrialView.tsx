import { useQuery } from '@tanstack/react-query';
import { wrongIn } from '@/api/http';
import { count } from '@/lib/format';
import { useSettled } from '@/lib/useSettled';
import { type RecordingFilter, recordingTrial } from './queries';

/** Which of the last calls a recording would have captured, while it is written. */
export function RecordingTrialView({ service, filter }: { service: string; filter: RecordingFilter }) {
  const settled = useSettled(filter, 350);
  const { data, error } = useQuery({ ...recordingTrial(service, settled), retry: false });
  if (error) {
    return (
      <p role="alert" className="text-bad text-xs">
        {wrongIn(error)}
      </p>
    );
  }
  if (!data?.calls.length) return <p className="h-5" />;
  return (
    <details className="text-[13px]">
      <summary className="cursor-pointer">
        Of the last {count(data.calls.length, 'call')} it would have captured {data.captured}
      </summary>
      <ul className="mt-1.5 max-h-44 overflow-y-auto font-mono text-xs">
        {data.calls.map(({ call, reason }) => (
          <li key={call.id}>
            <span className={reason ? 'text-dim' : ''}>
              {reason ? '−' : '+'} {call.method} {call.path}
            </span>{' '}
            <span className="font-sans text-dim">{reason}</span>
          </li>
        ))}
      </ul>
    </details>
  );
}
