import { Button } from '@/ui/Button';
import { Dialog, DialogClose, DialogContent, DialogTrigger } from '@/ui/Dialog';
import { DiffView } from '@/ui/DiffView';

interface Props {
  before: string;
  /** The document as it stands; none while it cannot be used. */
  after?: string;
  onDiscard(): void;
}

/** What is not saved yet, beside what is kept; one step puts it back. */
export function ChangesDialog({ before, after, onDiscard }: Props) {
  return (
    <Dialog>
      <DialogTrigger asChild>
        <Button>Changes</Button>
      </DialogTrigger>
      <DialogContent title="What is not saved yet" className="w-[min(1080px,96vw)]">
        {after === undefined ? (
          <p className="text-dim">What is written cannot be used yet, so it cannot be compared.</p>
        ) : (
          <DiffView before={before} after={after} titles={['As it is kept', 'As it is written now']} />
        )}
        <div className="mt-3 flex justify-end">
          <DialogClose asChild>
            <Button look="danger" onClick={onDiscard}>
              Discard changes
            </Button>
          </DialogClose>
        </div>
      </DialogContent>
    </Dialog>
  );
}
