import { useMutation } from '@tanstack/react-query';
import { lazy, type ReactNode, Suspense, useState } from 'react';
import { Problem } from '@/api/http';
import type { Fault } from '@/api/types';
import { Button } from './Button';
import { ProblemNotice } from './ProblemNotice';
import { type View, ViewSwitch } from './ViewSwitch';

const CodeEditor = lazy(() => import('./CodeEditor').then((m) => ({ default: m.CodeEditor })));

interface Props {
  /** The accessible name of the text. */
  label: string;
  text: string;
  /** It is not kept anywhere yet. */
  isNew?: boolean;
  /** The same as a form, where there is one; it is shown first. */
  form?: (text: string, onChange: (text: string) => void) => ReactNode;
  /** Keeps the document; before is the one that was kept last. */
  save(document: string, before: string): Promise<unknown>;
  /** Stands beside the button that saves. */
  children?: ReactNode;
}

/**
 * A YAML document with its faults at their places, and the button that keeps it; where there is a
 * form, as that or as the document.
 */
export function DocumentEditor({ label, text, isNew = false, form, save, children }: Props) {
  const [view, setView] = useState<View>(form ? 'form' : 'document');
  const [draft, setDraft] = useState(text);
  const [saved, setSaved] = useState(text);
  const keep = useMutation({
    mutationFn: () => save(draft, saved),
    onSuccess: () => setSaved(draft),
  });
  const marks = faultsOf(keep.error);
  const change = (next: string) => {
    setDraft(next);
    keep.reset();
  };
  return (
    <>
      {form && (
        <div>
          <ViewSwitch view={view} onChange={setView} />
        </div>
      )}
      {form && view === 'form' ? (
        <div className="min-h-0 flex-1 overflow-y-auto">{form(draft, change)}</div>
      ) : (
        <div className="flex min-h-64 flex-1 flex-col">
          <Suspense fallback={<p className="text-dim">Opening the editor …</p>}>
            <CodeEditor label={label} language="yaml" value={draft} onChange={change} marks={marks} />
          </Suspense>
        </div>
      )}
      {keep.error && (
        <ProblemNotice message="Nothing was kept." places={view === 'form' ? marks.map(unlined) : marks} />
      )}
      <div className="flex flex-wrap items-center gap-2">
        <Button
          look="main"
          disabled={keep.isPending || (draft === saved && !isNew)}
          onClick={() => keep.mutate()}
        >
          {isNew ? 'Keep it' : 'Save'}
        </Button>
        {children}
      </div>
    </>
  );
}

/** A fault as a form tells it, which has no lines. */
const unlined = ({ at, detail }: Fault) => ({ at, detail });

function faultsOf(error: Error | null): Fault[] {
  if (!error) return [];
  if (error instanceof Problem && error.faults.length > 0) return error.faults;
  return [{ detail: error.message }];
}
