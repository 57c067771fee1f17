import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { Problem } from '@/api/http';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { ImportReportView } from './ImportReportView';
import { importContract } from './queries';

interface Importing {
  take(file: File): void;
  busy: boolean;
  /** What came of the last import. */
  report: ReactNode;
}

/** Imports contracts and tells what came of them. */
export function useImport(into?: string): Importing {
  const queries = useQueryClient();
  const mutation = useMutation({
    mutationFn: (file: File) => importContract(file, into),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['services'] }),
  });
  const file = mutation.variables?.name;
  let report: ReactNode = null;
  if (mutation.isError) {
    const problem = mutation.error;
    report = (
      <div className="px-5 pb-4">
        <ProblemNotice
          message={`${file}: ${problem.message}. Nothing was changed.`}
          places={problem instanceof Problem ? problem.faults : []}
        />
      </div>
    );
  } else if (mutation.data) {
    report = <ImportReportView report={mutation.data} onClose={mutation.reset} />;
  }
  return { take: mutation.mutate, busy: mutation.isPending, report };
}
