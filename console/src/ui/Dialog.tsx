import { X } from 'lucide-react';
import { Dialog as Radix } from 'radix-ui';
import type { ComponentProps } from 'react';
import { Button } from './Button';
import { cn } from './cn';

export const Dialog = Radix.Root;
export const DialogTrigger = Radix.Trigger;
export const DialogClose = Radix.Close;

interface Props extends ComponentProps<typeof Radix.Content> {
  title: string;
}

export function DialogContent({ title, className, children, ...props }: Props) {
  return (
    <Radix.Portal>
      <Radix.Overlay className="fixed inset-0 z-20 bg-black/40" />
      <Radix.Content
        aria-describedby={undefined}
        className={cn(
          'fixed top-1/2 left-1/2 z-30 max-h-[90vh] w-[min(560px,94vw)] -translate-x-1/2 -translate-y-1/2 overflow-auto',
          'rounded-md border border-line bg-panel p-5 shadow-xl',
          className,
        )}
        {...props}
      >
        <div className="mb-3 flex items-start justify-between gap-4">
          <Radix.Title className="font-semibold text-base">{title}</Radix.Title>
          <Radix.Close asChild>
            <Button look="bare" className="h-7 px-1.5" aria-label="Close">
              <X size={16} aria-hidden />
            </Button>
          </Radix.Close>
        </div>
        {children}
      </Radix.Content>
    </Radix.Portal>
  );
}
