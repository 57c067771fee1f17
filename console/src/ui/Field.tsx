import { type ComponentProps, useId } from 'react';
import { cn } from './cn';

export const inputLook =
  'h-8 rounded border border-line bg-panel px-2 text-[13px] placeholder:text-dim aria-invalid:border-bad';

interface Props extends ComponentProps<'input'> {
  label: string;
  /** Stands below the input: what it means, or what is wrong with it. */
  hint?: string;
  fault?: string;
}

/** A labelled line of text. */
export function Field({ label, hint, fault, className, ...props }: Props) {
  const id = useId();
  const below = fault ?? hint;
  return (
    <div className="flex flex-col gap-1">
      <label htmlFor={id} className="font-medium text-dim text-xs">
        {label}
      </label>
      <input
        id={id}
        aria-invalid={fault ? true : undefined}
        aria-describedby={below ? `${id}-below` : undefined}
        className={cn(inputLook, className)}
        {...props}
      />
      {below && (
        <p id={`${id}-below`} className={cn('text-xs', fault ? 'text-bad' : 'text-dim')}>
          {below}
        </p>
      )}
    </div>
  );
}
