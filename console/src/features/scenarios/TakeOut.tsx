import { X } from 'lucide-react';
import type { ReactNode } from 'react';
import { Button } from '@/ui/Button';

/** One line of a list, which can be taken out. */
export function TakeOut({ children, onPress }: { children: ReactNode; onPress(): void }) {
  return (
    <li className="flex items-center gap-2">
      <span className="min-w-0 break-words">{children}</span>
      <Button look="bare" className="h-6 px-1" aria-label="Take it out" onClick={onPress}>
        <X size={14} aria-hidden />
      </Button>
    </li>
  );
}
