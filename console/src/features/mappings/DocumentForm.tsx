import { lazy, Suspense } from 'react';
import type { CallKnown } from '@/ui/expressionHelp';
import type { Editing } from './useMappingEditing';

const CodeEditor = lazy(() => import('@/ui/CodeEditor').then((m) => ({ default: m.CodeEditor })));

/** A mapping as the document that files and the command line have. */
export function DocumentForm({ editing, known }: { editing: Editing; known: CallKnown }) {
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-2 px-5 py-3">
      <Suspense fallback={<p className="text-dim">Opening the editor …</p>}>
        <CodeEditor
          label="Document of the mapping"
          language="yaml"
          value={editing.text}
          onChange={editing.setText}
          marks={editing.marks}
          expressions
          known={known}
        />
      </Suspense>
      {editing.marks.map((mark) => (
        <p key={`${mark.line}:${mark.column}:${mark.detail}`} role="alert" className="text-bad text-xs">
          {mark.line ? `line ${mark.line}, column ${mark.column}: ` : ''}
          {mark.detail}
        </p>
      ))}
    </div>
  );
}
