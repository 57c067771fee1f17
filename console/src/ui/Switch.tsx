import { Switch as Radix } from 'radix-ui';
import type { ComponentProps } from 'react';
import { cn } from './cn';

interface Props extends ComponentProps<typeof Radix.Root> {
  label: string;
}

export function Switch({ label, className, ...props }: Props) {
  return (
    // biome-ignore lint/a11y/noLabelWithoutControl: the Radix switch inside is the control
    <label className="inline-flex items-center gap-2 text-[13px]">
      <Radix.Root
        className={cn(
          'relative h-5 w-9 rounded-full border border-line bg-sunken data-[state=checked]:border-accent data-[state=checked]:bg-accent',
          className,
        )}
        {...props}
      >
        <Radix.Thumb className="block size-3.5 translate-x-0.5 rounded-full bg-dim transition-transform data-[state=checked]:translate-x-[18px] data-[state=checked]:bg-accent-ink" />
      </Radix.Root>
      {label}
    </label>
  );
}
