import { Link } from 'wouter';
import type { RecordingReport } from '@/api/types';
import { count } from '@/lib/format';
import { ProblemNotice } from '@/ui/ProblemNotice';

/** What came of a recording: the mappings that were made, and why so. */
export function RecordingReportView({ service, report }: { service: string; report: RecordingReport }) {
  const { recording, mappings, skipped, reasons, otherwise } = report;
  if (recording.calls === 0) {
    return (
      <ProblemNotice
        message={`“${recording.name}” captured nothing.`}
        places={(reasons ?? []).map((detail) => ({ detail }))}
      />
    );
  }
  return (
    <div role="status" className="rounded border border-line bg-panel px-3 py-2 text-[13px]">
      <p className="font-medium">
        “{recording.name}”: {count(recording.calls, 'call')}, {count(mappings.length, 'mapping')}
      </p>
      {otherwise && (
        <p className="text-miss text-xs">
          What was not recorded is answered by the {otherwise}; a switch in the{' '}
          <Link href={`/services/${encodeURIComponent(service)}/settings`} className="text-accent underline">
            settings
          </Link>{' '}
          makes it a miss.
        </p>
      )}
      <ul className="mt-1 space-y-0.5">
        {mappings.map(({ mapping, telling, outcome, notes }) => (
          <li key={mapping.id}>
            <span className="inline-block w-20 text-dim">{outcome}</span>
            <span className="font-mono text-xs">{mapping.id}</span>{' '}
            <span className="font-mono text-dim text-xs">{telling?.join(' ')}</span>{' '}
            <span className="text-dim text-xs">{notes.join('; ')}</span>
          </li>
        ))}
        {skipped.map(({ call, address, reason }) => (
          <li key={call}>
            <span className="inline-block w-20 text-miss">skipped</span>
            <span className="break-all font-mono text-xs">{address}</span>{' '}
            <span className="text-dim text-xs">
              {call}: {reason}
            </span>
          </li>
        ))}
      </ul>
    </div>
  );
}
