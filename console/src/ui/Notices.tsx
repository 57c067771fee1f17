import { X } from 'lucide-react';
import { useEffect, useSyncExternalStore } from 'react';
import { lastEntry, undoEntry, wrongIn } from '@/api/http';
import { queries } from '@/api/queryClient';
import { external } from '@/lib/external';
import { Button } from './Button';

interface Notice {
  id: number;
  text: string;
  undo?: () => unknown;
}

const notices = external<Notice[]>([]);
let lastId = 0;

/** Tells what just changed, with a way back beside it; that it cannot be undone is told too. */
export function notify(text: string, undo?: () => unknown) {
  notices.set([...notices.get().slice(-2), { id: ++lastId, text, undo }]);
}

/**
 * Tells what the last write changed; the undo beside it takes that entry of the activity back, unless
 * something was changed since. It is called before anything else is waited for.
 */
export function notifyChange(text: string, onUndone?: () => unknown) {
  const entry = lastEntry();
  const undo = async () => {
    await undoEntry(entry);
    await queries.invalidateQueries();
    await onUndone?.();
  };
  notify(text, entry ? undo : undefined);
}

function dismiss(id: number) {
  notices.set(notices.get().filter((notice) => notice.id !== id));
}

async function takeBack({ undo }: Notice) {
  try {
    await undo?.();
  } catch (error) {
    notify(`Not undone: ${error instanceof Error ? wrongIn(error) : error}`);
  }
}

export function Notices() {
  const list = useSyncExternalStore(notices.subscribe, notices.get);
  return (
    <div role="status" className="fixed right-4 bottom-4 z-40 flex flex-col gap-2">
      {list.map((notice) => (
        <NoticeLine key={notice.id} notice={notice} />
      ))}
    </div>
  );
}

/** How long a notice is there; one that can be taken back stays until somebody has read it and thought. */
const shownFor = 12_000;
const undoableFor = 30_000;

function NoticeLine({ notice }: { notice: Notice }) {
  useEffect(() => {
    const timer = setTimeout(() => dismiss(notice.id), notice.undo ? undoableFor : shownFor);
    return () => clearTimeout(timer);
  }, [notice.id, notice.undo]);
  return (
    <div className="flex items-center gap-3 rounded border border-line bg-panel py-1.5 pr-1.5 pl-3 text-[13px] shadow-lg">
      <span>{notice.text}</span>
      {notice.undo && (
        <Button
          onClick={() => {
            takeBack(notice);
            dismiss(notice.id);
          }}
        >
          Undo
        </Button>
      )}
      <Button look="bare" className="px-1.5" aria-label="Dismiss" onClick={() => dismiss(notice.id)}>
        <X size={14} aria-hidden />
      </Button>
    </div>
  );
}
