import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { Problem } from '@/api/http';
import { keys } from '@/api/keys';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { ImportReportView } from './ImportReportView';
import { importContract, type Importing as Wanted } from './queries';

/** An import of a page, and what came of it. */
export interface Importing {
  take(file: File): void;
  /** Takes an earlier revision again, after a look at what that changes. */
  restore(revision: number): void;
  busy: boolean;
  /** What came of the last import, or would. */
  report: ReactNode;
}

/**
 * Imports contracts and tells what came of them. Into an existing service it
 * first shows what would change, and waits for a yes.
 */
export function useImport(into?: string): Importing {
  const queries = useQueryClient();
  const mutation = useMutation({
    mutationFn: (importing: Wanted) => importContract(importing),
    onSuccess: (report) => {
      if (!report.dryRun) return queries.invalidateQueries({ queryKey: keys.services() });
    },
  });
  const importing = mutation.variables;
  const what = importing?.file?.name ?? `revision ${importing?.revision}`;
  let report: ReactNode = null;
  if (mutation.isError) {
    const problem = mutation.error;
    report = (
      <div className="px-5 pb-4">
        <ProblemNotice
          message={`${what}: ${problem.message}. Nothing was changed.`}
          places={problem instanceof Problem ? problem.faults : []}
        />
      </div>
    );
  } else if (mutation.data) {
    const apply =
      mutation.data.dryRun && importing ? () => mutation.mutate({ ...importing, dryRun: false }) : undefined;
    report = <ImportReportView report={mutation.data} apply={apply} onClose={mutation.reset} />;
  }
  return {
    take: (file) => mutation.mutate({ file, into, dryRun: into !== undefined }),
    restore: (revision) => mutation.mutate({ into, revision, dryRun: true }),
    busy: mutation.isPending,
    report,
  };
}
