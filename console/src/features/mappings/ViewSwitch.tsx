import { cn } from '@/ui/cn';
import type { Editing } from './useMappingEditing';

/** Form or document: two views of one mapping. */
export function ViewSwitch({ editing }: { editing: Editing }) {
  const views = [
    { view: 'form', word: 'Form', open: editing.toForm },
    { view: 'document', word: 'Document', open: editing.toDocument },
  ] as const;
  return (
    <fieldset className="inline-flex rounded border border-line">
      <legend className="sr-only">View</legend>
      {views.map(({ view, word, open }) => (
        <button
          key={view}
          type="button"
          aria-pressed={editing.view === view}
          onClick={() => editing.view !== view && open()}
          className={cn(
            'h-[30px] px-2.5 font-medium text-[13px] text-dim hover:text-ink',
            editing.view === view && 'bg-sunken text-ink',
          )}
        >
          {word}
        </button>
      ))}
    </fieldset>
  );
}
