import { Lock, Pencil } from 'lucide-react';
import { useState } from 'react';
import { Button } from '@/ui/Button';
import { Dialog, DialogContent, DialogTrigger } from '@/ui/Dialog';
import { ValueForm } from './ValueForm';
import { isSecret, saidOf, type Table, textOf } from './variableTable';

interface Props {
  service: string;
  table: Table;
  set: string;
  name: string;
}

/** The value of a variable, to be changed with a press. */
export function VariableCell({ service, table, set, name }: Props) {
  const [open, setOpen] = useState(false);
  const said = saidOf(table, set, name);
  const where = set ? `${name} in set ${set}` : name;
  return (
    <Dialog open={open} onOpenChange={setOpen}>
      <DialogTrigger asChild>
        <Button
          look="bare"
          className="group -ml-2 h-auto min-h-7 max-w-[420px] justify-start whitespace-normal py-1 [overflow-wrap:anywhere] text-left font-normal font-mono text-inherit text-xs"
          aria-label={`Change ${where}`}
        >
          {said === undefined ? (
            <span className="font-sans text-dim">—</span>
          ) : isSecret(said) ? (
            <span className="inline-flex items-center gap-1 font-sans">
              <Lock size={12} aria-hidden /> secret
            </span>
          ) : (
            textOf(said) || '""'
          )}
          <Pencil size={12} aria-hidden className="shrink-0 opacity-0 group-hover:opacity-100" />
        </Button>
      </DialogTrigger>
      <DialogContent title={where}>
        <ValueForm place={{ service, set, name }} table={table} said={said} onDone={() => setOpen(false)} />
      </DialogContent>
    </Dialog>
  );
}
