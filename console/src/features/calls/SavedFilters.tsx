import { Bookmark, X } from 'lucide-react';
import { useState, useSyncExternalStore } from 'react';
import { Button } from '@/ui/Button';
import { Dialog, DialogContent, DialogTrigger } from '@/ui/Dialog';
import { Field } from '@/ui/Field';
import { readFilters, type SavedFilter, savedFilters, withFilter } from './savedFilters';

/** Filters that have a name: used again, kept, and taken out. */
export function SavedFilters({ text, onUse }: { text: string; onUse(text: string): void }) {
  const filters = readFilters(useSyncExternalStore(savedFilters.subscribe, savedFilters.get));
  const [open, setOpen] = useState(false);
  const [name, setName] = useState('');
  const keep = (list: SavedFilter[]) => savedFilters.set(JSON.stringify(list));
  return (
    <Dialog open={open} onOpenChange={setOpen}>
      <DialogTrigger asChild>
        <Button look="bare" className="px-1.5" aria-label="Saved filters" title="Saved filters">
          <Bookmark size={15} aria-hidden />
        </Button>
      </DialogTrigger>
      <DialogContent title="Saved filters">
        <div className="space-y-4">
          {filters.length === 0 && (
            <p className="text-[13px] text-dim">None yet. They are kept in this browser.</p>
          )}
          <ul className="space-y-1 text-[13px]">
            {filters.map((filter) => (
              <li key={filter.name} className="flex items-center gap-2" data-filter={filter.name}>
                <button
                  type="button"
                  onClick={() => {
                    onUse(filter.text);
                    setOpen(false);
                  }}
                  className="flex min-w-0 flex-1 items-baseline gap-3 rounded px-2 py-1 text-left hover:bg-sunken"
                >
                  <span className="font-medium">{filter.name}</span>
                  <code className="truncate text-dim text-xs">{filter.text}</code>
                </button>
                <Button
                  look="bare"
                  className="h-6 px-1"
                  aria-label={`Take ${filter.name} out`}
                  onClick={() => keep(filters.filter((one) => one !== filter))}
                >
                  <X size={13} aria-hidden />
                </Button>
              </li>
            ))}
          </ul>
          {text.trim() && (
            <form
              className="flex items-end gap-2 border-line border-t pt-3"
              onSubmit={(event) => {
                event.preventDefault();
                keep(withFilter(filters, { name: name.trim(), text: text.trim() }));
                setName('');
              }}
            >
              <Field
                label="Name for the filter as it is now"
                hint={text}
                value={name}
                onChange={(event) => setName(event.target.value)}
              />
              <Button type="submit" className="mb-5" disabled={name.trim() === ''}>
                Keep it
              </Button>
            </form>
          )}
        </div>
      </DialogContent>
    </Dialog>
  );
}
