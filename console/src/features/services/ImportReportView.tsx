import { X } from 'lucide-react';
import type { ImportReport } from '@/api/types';
import { count } from '@/lib/format';
import { Button } from '@/ui/Button';
import { CommandLine } from '@/ui/CommandLine';
import { ChangeList } from './ChangeList';

interface Props {
  report: ImportReport;
  /** Carries out what was only looked at so far. */
  apply?: () => void;
  onClose(): void;
}

/** Says what an import made, or would make, and what to do next. */
export function ImportReportView({ report, apply, onClose }: Props) {
  const { contract } = report;
  const { curl } = report.try;
  return (
    <section
      role="status"
      aria-label="Import"
      className="mx-5 mb-4 rounded border border-line border-l-4 border-l-accent bg-panel px-4 py-3"
    >
      <div className="flex items-start justify-between gap-3">
        <p>
          <strong>{report.service}</strong>: {apply && 'this would be '}revision {contract.revision} of “
          {contract.title}”, {contract.format}. {count(report.answers, 'operation')}{' '}
          {report.answers === 1 ? 'answers' : 'answer'}, {report.skipped.length} skipped.
        </p>
        <Button look="bare" className="h-6 px-1" aria-label="Close the report" onClick={onClose}>
          <X size={14} aria-hidden />
        </Button>
      </div>
      {(report.skipped.length > 0 || report.warnings.length > 0) && (
        <ul className="mt-2 max-h-40 space-y-0.5 overflow-auto text-[13px]">
          {report.skipped.map((op) => (
            <li key={op.id}>
              <span className="font-mono text-xs">
                {op.method} {op.path}
              </span>{' '}
              does not answer: {op.skipped}
            </li>
          ))}
          {report.warnings.map((fault) => (
            <li key={`${fault.at}${fault.detail}`} className="text-dim">
              {fault.line ? `line ${fault.line}: ` : ''}
              {fault.detail}
            </li>
          ))}
        </ul>
      )}
      {!!report.brokenExamples && (
        <p className="mt-1 text-[13px]">
          {count(report.brokenExamples, 'example')} of the contract{' '}
          {report.brokenExamples === 1 ? 'does' : 'do'} not obey{' '}
          {report.brokenExamples === 1 ? 'its' : 'their'} own schema.
        </p>
      )}
      {report.changes && (
        <div className="mt-2 text-[13px]">
          <ChangeList changes={report.changes} />
        </div>
      )}
      {report.orphans?.map((mapping) => (
        <p key={mapping.id} className="mt-1 text-[13px] text-miss">
          Mapping {mapping.id} stands on {mapping.call}, which is gone. It stays and still answers.
        </p>
      ))}
      <div className="mt-2 flex gap-2">
        {apply ? (
          <>
            <Button look="main" onClick={apply}>
              Put revision {contract.revision} in force
            </Button>
            <Button onClick={onClose}>Leave it as it is</Button>
          </>
        ) : (
          <CommandLine command={curl} />
        )}
      </div>
    </section>
  );
}
