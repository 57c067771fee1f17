import type { ImportReport } from '@/api/types';
import { count } from '@/lib/format';
import { ChangeList } from './ChangeList';
import { alike } from './reportLines';

/** Says what an import made, or would make. */
export function ImportReportView({ report }: { report: ImportReport }) {
  const { contract, dryRun } = report;
  const skipped = alike(
    report.skipped.map((op) => ({ text: op.skipped ?? '', place: `${op.method} ${op.path}` })),
  );
  const warnings = alike(
    report.warnings.map(({ line, detail }) => ({ text: detail, place: line ? `line ${line}` : '' })),
  );
  return (
    <section
      aria-label="Import"
      className="rounded border border-line border-l-4 border-l-accent px-4 py-3 text-[13px]"
    >
      <p>
        <strong>{report.service}</strong>: {dryRun && 'this would be '}revision {contract.revision} of “
        {contract.title}”, {contract.format}. {count(report.answers, 'operation')}{' '}
        {report.answers === 1 ? 'answers' : 'answer'}, {report.skipped.length} skipped.
      </p>
      <Lines title="Does not answer" lines={skipped} look="text-miss" />
      <Lines title="Noticed" lines={warnings} look="" />
      {!!report.brokenExamples && (
        <p className="mt-1">
          {count(report.brokenExamples, 'example')} of the contract{' '}
          {report.brokenExamples === 1 ? 'does' : 'do'} not obey{' '}
          {report.brokenExamples === 1 ? 'its' : 'their'} own schema.
        </p>
      )}
      {report.changes && (
        <div className="mt-2 max-h-64 overflow-y-auto">
          <ChangeList changes={report.changes} />
        </div>
      )}
      {report.orphans?.map((mapping) => (
        <p key={mapping.id} className="mt-1 text-miss">
          Mapping {mapping.id} stands on {mapping.call}, which is gone. It stays and still answers.
        </p>
      ))}
      {report.deviating?.map((mapping) => (
        <p key={mapping.id} className="mt-1 text-miss">
          Mapping {mapping.id} on {mapping.call} breaks this contract. It still answers.
        </p>
      ))}
    </section>
  );
}

/** What is said of several places, once, with the places behind it. */
function Lines({ title, lines, look }: { title: string; lines: ReturnType<typeof alike>; look: string }) {
  if (lines.length === 0) return null;
  return (
    <div className="mt-2 max-h-40 overflow-y-auto">
      <h3 className="font-medium text-dim text-xs">{title}</h3>
      <ul className="space-y-0.5">
        {lines.map(({ text, places }) => (
          <li key={text} className="break-words">
            <span className={look}>{text}</span>{' '}
            <span className="font-mono text-dim text-xs">
              {places.slice(0, 3).join(', ')}
              {places.length > 3 && ` and ${places.length - 3} more`}
            </span>
          </li>
        ))}
      </ul>
    </div>
  );
}
