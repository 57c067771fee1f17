import { useId } from 'react';
import { cn } from './cn';
import { inputLook } from './Field';

interface Props {
  label: string;
  value: string;
  /** Values with their words, in their order. */
  options: [value: string, words: string][];
  onChange(value: string): void;
  /** The label is there for those who cannot see it. */
  quiet?: boolean;
  className?: string;
}

/** A labelled choice of one among a few. */
export function Select({ label, value, options, onChange, quiet, className }: Props) {
  const id = useId();
  return (
    <div className="flex flex-col gap-1">
      <label htmlFor={id} className={quiet ? 'sr-only' : 'font-medium text-dim text-xs'}>
        {label}
      </label>
      <select
        id={id}
        value={value}
        onChange={(event) => onChange(event.target.value)}
        className={cn(inputLook, className)}
      >
        {options.map(([option, words]) => (
          <option key={option} value={option}>
            {words}
          </option>
        ))}
      </select>
    </div>
  );
}
