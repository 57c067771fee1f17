import { lazy, Suspense, useState } from 'react';
import type { OperationBody } from '@/api/types';
import { languageOf, pretty } from '@/lib/format';
import { CopyButton } from '@/ui/CopyButton';
import { PartTable } from './PartTable';

const CodeEditor = lazy(() => import('@/ui/CodeEditor').then((m) => ({ default: m.CodeEditor })));

/** A body in one media type: its places, and a sample to open. */
export function BodyDoc({ body }: { body: OperationBody }) {
  const [open, setOpen] = useState(false); // the editor measures itself when it is seen
  return (
    <div className="pb-2">
      <h3 className="px-5 pb-1 font-mono text-dim text-xs">{body.mediaType}</h3>
      {body.fields && <PartTable parts={body.fields} />}
      {body.sample && (
        <details className="px-5 pt-2" onToggle={(event) => setOpen(event.currentTarget.open)}>
          <summary className="w-max cursor-pointer text-accent text-xs">A sample</summary>
          {open && (
            <div className="mt-1 flex h-64 flex-col gap-1">
              <Suspense fallback={<p className="text-dim">Opening it …</p>}>
                <CodeEditor
                  label={`Sample as ${body.mediaType}`}
                  language={languageOf(body.sample)}
                  value={pretty(body.sample)}
                />
              </Suspense>
              <CopyButton text={body.sample} what="sample" />
            </div>
          )}
        </details>
      )}
    </div>
  );
}
