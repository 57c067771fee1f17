import { X } from 'lucide-react';
import type { ImportReport } from '@/api/types';
import { count } from '@/lib/format';
import { Button } from '@/ui/Button';
import { CommandLine } from '@/ui/CommandLine';

/** Says what an import made, and what to try next. */
export function ImportReportView({ report, onClose }: { report: ImportReport; onClose(): void }) {
  const { contract } = report;
  const curl = `curl ${report.try.method === 'GET' ? '' : `-X ${report.try.method} `}${report.try.url}`;
  return (
    <section
      role="status"
      aria-label="Import"
      className="mx-5 mb-4 rounded border border-line border-l-4 border-l-accent bg-panel px-4 py-3"
    >
      <div className="flex items-start justify-between gap-3">
        <p>
          <strong>{report.service}</strong>: revision {contract.revision} of “{contract.title}”,{' '}
          {contract.format}. {count(report.answers, 'operation')}{' '}
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
      <div className="mt-2 flex">
        <CommandLine command={curl} />
      </div>
    </section>
  );
}
