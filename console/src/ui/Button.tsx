import type { ComponentProps } from 'react';
import { cn } from './cn';

interface Props extends ComponentProps<'button'> {
  look?: 'plain' | 'main' | 'bare' | 'danger';
}

const looks = {
  plain: 'border border-line bg-panel hover:bg-sunken',
  main: 'border border-accent bg-accent text-accent-ink hover:opacity-90',
  bare: 'text-dim hover:bg-sunken hover:text-ink',
  danger: 'border border-line bg-panel text-bad hover:bg-bad-soft',
};

export function Button({ look = 'plain', className, ...props }: Props) {
  return (
    <button
      type="button"
      className={cn(
        'inline-flex h-8 shrink-0 items-center gap-1.5 whitespace-nowrap rounded px-2.5 font-medium text-[13px]',
        'disabled:opacity-50',
        looks[look],
        className,
      )}
      {...props}
    />
  );
}
