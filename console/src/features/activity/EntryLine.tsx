import { ChevronDown, ChevronRight, Undo2 } from 'lucide-react';
import { useState } from 'react';
import { wrongIn } from '@/api/http';
import type { Entry } from '@/api/types';
import { clock } from '@/lib/format';
import { Button } from '@/ui/Button';
import { cn } from '@/ui/cn';
import { EntryItems } from './EntryItems';
import { useUndo } from './queries';
import { whoOf } from './whoOf';

/** One change as a sentence, with the way back; opened, with its documents before and after. */
export function EntryLine({ entry, day }: { entry: Entry; day?: string }) {
  const [open, setOpen] = useState(false);
  const undo = useUndo();
  const { name, way } = whoOf(entry);
  return (
    <li className="border-line border-b bg-panel" data-entry={entry.id}>
      {day && <p className="bg-sunken px-5 py-1 font-medium text-dim text-xs">{day}</p>}
      <div className="flex items-start gap-3 px-5 py-1.5 text-[13px]">
        <Button
          look="bare"
          className="-ml-2 h-6 px-1"
          aria-expanded={open}
          aria-label={`What ${entry.id} changed`}
          onClick={() => setOpen(!open)}
        >
          {open ? <ChevronDown size={14} aria-hidden /> : <ChevronRight size={14} aria-hidden />}
        </Button>
        <time dateTime={entry.at} className="shrink-0 pt-0.5 text-dim tabular-nums">
          {clock(entry.at)}
        </time>
        <p className={cn('min-w-0 flex-1 pt-0.5 [overflow-wrap:anywhere]', entry.undoneBy && 'text-dim')}>
          <strong className="font-medium">{name}</strong> {entry.undoes && <>undid {entry.undoes}: </>}
          {entry.lines.join('; ')}
          {way && <span className="text-dim"> {way}</span>}
        </p>
        <span className="shrink-0 pt-0.5 font-mono text-dim text-xs">{entry.id}</span>
        {entry.count === 0 ? (
          <span className="w-20 shrink-0" />
        ) : entry.undoneBy ? (
          <span className="w-20 shrink-0 pt-0.5 text-right text-dim">undone</span>
        ) : (
          <span className="w-20 shrink-0 text-right">
            <Button
              className="h-6 px-1.5 text-xs"
              disabled={undo.isPending}
              aria-label={`${entry.undoes ? 'Redo' : 'Undo'} ${entry.id}`}
              onClick={() => undo.mutate(entry.id)}
            >
              <Undo2 size={13} aria-hidden />
              {entry.undoes ? 'Redo' : 'Undo'}
            </Button>
          </span>
        )}
      </div>
      {undo.isError && (
        <p role="alert" className="px-5 pb-2 pl-12 text-[13px] text-bad">
          Not undone: {wrongIn(undo.error)}
        </p>
      )}
      {open && <EntryItems id={entry.id} />}
    </li>
  );
}
