import { type ReactNode, useState } from 'react';
import { ImportDialog } from './ImportDialog';
import type { ContractSource } from './queries';

/** The imports of a page. */
export interface Importing {
  /** Begins with a file, or asks for one. */
  take(file?: File): void;
  /** Takes an earlier revision again, after a look at what that changes. */
  restore(revision: number): void;
  /** The dialog of an import that is under way. */
  dialog: ReactNode;
}

/** Imports contracts, into a service or to make new ones: one after the other, each after a look at it. */
export function useImport(into?: string): Importing {
  const [waiting, setWaiting] = useState<{ id: number; source: ContractSource }[]>([]);
  const add = (source: ContractSource) =>
    setWaiting((now) => [...now, { id: (now.at(-1)?.id ?? 0) + 1, source }]);
  const [first] = waiting;
  return {
    take: (file) => add(file ? { file } : {}),
    restore: (revision) => add({ revision }),
    dialog: first && (
      <ImportDialog
        key={first.id}
        source={first.source}
        into={into}
        onClose={() => setWaiting((now) => now.slice(1))}
      />
    ),
  };
}
