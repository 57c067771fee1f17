import { cn } from './cn';

export type View = 'form' | 'document';

const views: [View, string][] = [
  ['form', 'Form'],
  ['document', 'Document'],
];

/** Form or document: two views of one thing. */
export function ViewSwitch({ view, onChange }: { view: View; onChange(view: View): void }) {
  return (
    <fieldset className="inline-flex rounded border border-line">
      <legend className="sr-only">View</legend>
      {views.map(([each, word]) => (
        <button
          key={each}
          type="button"
          aria-pressed={view === each}
          onClick={() => view !== each && onChange(each)}
          className={cn(
            'h-[30px] px-2.5 font-medium text-[13px] text-dim hover:text-ink',
            view === each && 'bg-sunken text-ink',
          )}
        >
          {word}
        </button>
      ))}
    </fieldset>
  );
}
