import { useMutation } from '@tanstack/react-query';
import { lazy, type ReactNode, Suspense, useState } from 'react';
import { isStale, type Kept, notThere, Problem } from '@/api/http';
import type { Fault } from '@/api/types';
import { Button } from './Button';
import { Conflict } from './Conflict';
import { notifyChange } from './Notices';
import { ProblemNotice } from './ProblemNotice';
import { type View, ViewSwitch } from './ViewSwitch';

const CodeEditor = lazy(() => import('./CodeEditor').then((m) => ({ default: m.CodeEditor })));

/** How it went: the new version, and what was done in a sentence. */
interface Saved {
  etag: string;
  told: string;
  /** It was kept as another one; what was kept before stays. */
  another?: boolean;
}

interface Props {
  /** The accessible name of the text. */
  label: string;
  /** As it is kept; with notThere as its version it is new. */
  kept: Kept;
  /** The same as a form, where there is one; it is shown first. */
  form?: (text: string, onChange: (text: string) => void) => ReactNode;
  /** Keeps the document in place of the version that has a tag; over says that it is what read gave. */
  save(document: string, etag: string, over: boolean): Promise<Saved>;
  /** Reads what is kept now in the way of a document, when somebody else was faster. */
  read(document: string): Promise<Kept | undefined>;
  /** What was in the way of a document is taken instead of it. */
  onTaken?(document: string): void;
  /** Stands beside the button that saves. */
  children?: ReactNode;
}

/**
 * A YAML document with its faults at their places, and the button that keeps it; where there is a
 * form, as that or as the document.
 */
export function DocumentEditor({ label, kept, form, save, read, onTaken, children }: Props) {
  const [view, setView] = useState<View>(form ? 'form' : 'document');
  const [draft, setDraft] = useState(kept.text);
  const [saved, setSaved] = useState(kept);
  const [theirs, setTheirs] = useState<Kept>();
  const isNew = saved.etag === notThere;
  const take = (now: Kept) => {
    setDraft(now.text);
    setSaved(now);
    keep.reset();
  };
  const keep = useMutation({
    mutationFn: (over?: Kept) => save(draft, over?.etag ?? saved.etag, over !== undefined),
    onSuccess: ({ etag, told, another }) => {
      notifyChange(told, async () => {
        const now = isNew || another ? undefined : await read(draft);
        if (now) take(now);
        else setSaved({ text: draft, etag: notThere });
      });
      if (!another) setSaved({ text: draft, etag });
    },
    onError: async (error) => setTheirs(isStale(error) ? await read(draft) : undefined),
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
      {isStale(keep.error) && theirs ? (
        <Conflict
          message={`Nothing was kept: ${keep.error.message}.`}
          theirs={theirs.text}
          mine={draft}
          onMine={() => keep.mutate(theirs)}
          onTheirs={() => {
            onTaken?.(draft);
            take(theirs);
          }}
        />
      ) : (
        keep.error && (
          <ProblemNotice message="Nothing was kept." places={view === 'form' ? marks.map(unlined) : marks} />
        )
      )}
      <div className="flex flex-wrap items-center gap-2">
        <Button
          look="main"
          disabled={keep.isPending || (draft === saved.text && !isNew)}
          onClick={() => keep.mutate(undefined)}
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
