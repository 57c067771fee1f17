import { Keyboard } from 'lucide-react';
import { useEffect, useState } from 'react';
import { setDensity, useDensity } from '@/lib/density';
import { Button } from '@/ui/Button';
import { Dialog, DialogContent, DialogTrigger } from '@/ui/Dialog';
import { Switch } from '@/ui/Switch';

const keys = [
  ['Ctrl K', 'go to a service, operation, mapping, scenario, call or action'],
  ['/', 'filter calls'],
  ['j  k', 'next and previous call'],
  ['J  K', 'next and previous call of the same endpoint'],
  ['Enter', 'open the call'],
  ['w', 'the call over the whole page, or beside the list'],
  ['Esc', 'close the call'],
  ['m', 'make a mapping of the call'],
  ['p', 'pause and follow'],
  ['n  p', 'next and previous boundary value of a walk'],
  ['f  d', 'a boundary value is fine, or a defect'],
  ['?', 'this list'],
];

/** The keys of the console; ? opens it anywhere. */
export function KeyHelp() {
  const [open, setOpen] = useState(false);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const typing =
        event.target instanceof HTMLElement && event.target.closest('input, textarea, [contenteditable]');
      if (event.key === '?' && !typing) setOpen(true);
    };
    addEventListener('keydown', onKey);
    return () => removeEventListener('keydown', onKey);
  }, []);
  return (
    <Dialog open={open} onOpenChange={setOpen}>
      <DialogTrigger asChild>
        <Button look="bare" className="px-1.5" aria-label="Keys">
          <Keyboard size={16} aria-hidden />
        </Button>
      </DialogTrigger>
      <DialogContent title="Keys, and how lists look">
        <dl className="grid grid-cols-[80px_1fr] gap-y-1.5">
          {keys.map(([key, what]) => (
            <div key={key} className="contents">
              <dt>
                <kbd className="rounded bg-sunken px-1.5 py-0.5 text-xs">{key}</kbd>
              </dt>
              <dd>{what}</dd>
            </div>
          ))}
        </dl>
        <p className="mt-4 border-line border-t pt-3">
          <Switch
            label="Dense lists"
            checked={useDensity() === 'dense'}
            onCheckedChange={(dense) => setDensity(dense ? 'dense' : 'roomy')}
          />
        </p>
      </DialogContent>
    </Dialog>
  );
}
