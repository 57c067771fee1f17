import { type ComponentProps, type ReactNode, useId } from 'react';
import { cn } from './cn';
import { inputLook } from './Field';

interface Props extends Omit<ComponentProps<'textarea'>, 'onChange'> {
  label: string;
  value: string;
  onChange(value: string): void;
  /** Stands below: what it means, or what is wrong with it. */
  hint?: ReactNode;
  fault?: string;
  /** The label is there for those who cannot see it. */
  quiet?: boolean;
}

/** Labelled lines of text, in the mono face. */
export function TextArea({ label, onChange, hint, fault, quiet, className, ...props }: Props) {
  const id = useId();
  const below = fault ?? hint;
  return (
    <div className="flex min-w-64 flex-1 flex-col gap-1">
      <label htmlFor={id} className={quiet ? 'sr-only' : 'font-medium text-dim text-xs'}>
        {label}
      </label>
      <textarea
        id={id}
        spellCheck={false}
        aria-invalid={fault ? true : undefined}
        aria-describedby={below ? `${id}-below` : undefined}
        onChange={(event) => onChange(event.target.value)}
        className={cn(inputLook, 'h-auto resize-y py-1.5 font-mono text-xs', className)}
        {...props}
      />
      {below && (
        <div id={`${id}-below`} className={cn('text-xs', fault ? 'text-bad' : 'text-dim')}>
          {below}
        </div>
      )}
    </div>
  );
}
