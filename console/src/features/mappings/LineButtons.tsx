import { Plus, X } from 'lucide-react';
import { Button } from '@/ui/Button';

/** Takes a line of a list out of it; what names the line. */
export function RemoveLine({ what, onPress }: { what: string; onPress(): void }) {
  return (
    <Button look="bare" className="px-1.5" aria-label={`Remove ${what}`} onClick={onPress}>
      <X size={14} aria-hidden />
    </Button>
  );
}

/** Adds a line to a list. */
export function AddLine({ label, onPress }: { label: string; onPress(): void }) {
  return (
    <Button look="bare" className="h-7 px-1.5" onClick={onPress}>
      <Plus size={14} aria-hidden /> {label}
    </Button>
  );
}
