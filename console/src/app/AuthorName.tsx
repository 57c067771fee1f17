import { useState, useSyncExternalStore } from 'react';
import { author } from '@/api/author';
import { Button } from '@/ui/Button';
import { Dialog, DialogContent, DialogTrigger } from '@/ui/Dialog';
import { Field } from '@/ui/Field';

/** Who changes things here: asked once, kept with every change. */
export function AuthorName() {
  const name = useSyncExternalStore(author.subscribe, author.get);
  const [open, setOpen] = useState(false);
  const [draft, setDraft] = useState(name);
  return (
    <Dialog open={open} onOpenChange={setOpen}>
      <DialogTrigger asChild>
        <Button look="bare" className="h-7" onClick={() => setDraft(name)}>
          {name ? `as ${name}` : 'Who are you?'}
        </Button>
      </DialogTrigger>
      <DialogContent title="Your name">
        <form
          data-personal
          className="flex items-end gap-3"
          onSubmit={(event) => {
            event.preventDefault();
            author.set(draft);
            setOpen(false);
          }}
        >
          <Field
            label="Name"
            hint="Your colleagues see it beside the changes that you make"
            value={draft}
            maxLength={60}
            onChange={(event) => setDraft(event.target.value)}
            className="w-72"
          />
          <Button look="main" type="submit" className="mb-5">
            Keep it
          </Button>
        </form>
      </DialogContent>
    </Dialog>
  );
}
