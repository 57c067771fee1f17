import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { EyeOff, X } from 'lucide-react';
import { memo, useState } from 'react';
import { keys } from '@/api/keys';
import { count } from '@/lib/format';
import { Button } from '@/ui/Button';
import { notify, notifyChange } from '@/ui/Notices';
import { refillFeed } from './callFeed';
import { ignoredQuery, ignoreLike, putIgnored } from './ignored';

interface Props {
  /** How many calls of the list are left out. */
  left: number;
  shown: boolean;
  onShow(on: boolean): void;
}

/** What is ignored, how many calls that leaves out, and the way back. */
export const IgnoredStrip = memo(({ left, shown, onShow }: Props) => {
  const { data: ignored } = useQuery(ignoredQuery);
  const [open, setOpen] = useState(false);
  const change = useChange(({ calls, off }: { calls: string[]; off: boolean }) =>
    putIgnored(calls, off, ignored?.etag ?? ''),
  );
  if (!ignored || ignored.calls.length === 0) return null;
  const { calls, counts, off } = ignored;
  return (
    <div className="border-line border-b bg-sunken text-[13px]" data-testid="ignored">
      <div className="flex flex-wrap items-center gap-x-2 px-5 py-1">
        <EyeOff size={14} aria-hidden className="text-dim" />
        <span>
          {off
            ? `Nothing is ignored now: ${count(calls.length, 'rule')} switched off.`
            : `${count(left, 'call')} ${shown ? 'shown' : 'left out'} here: ignored by ${count(calls.length, 'rule')}.`}
        </span>
        {!off && (
          <Button look="bare" className="h-6 px-1.5 text-xs" onClick={() => onShow(!shown)}>
            {shown ? 'Leave them out' : 'Show them'}
          </Button>
        )}
        <Button
          look="bare"
          className="h-6 px-1.5 text-xs"
          disabled={change.isPending}
          onClick={() => change.mutate({ calls, off: !off })}
        >
          {off ? 'Ignore them again' : 'Stop ignoring'}
        </Button>
        <Button
          look="bare"
          className="h-6 px-1.5 text-xs"
          aria-expanded={open}
          onClick={() => setOpen(!open)}
        >
          Rules
        </Button>
      </div>
      <ul hidden={!open} className="px-5 pb-2">
        {calls.map((rule, i) => (
          <li key={rule} className="flex items-center gap-2">
            <code className="break-all text-xs">{rule}</code>
            <span className="text-dim">{count(counts[i] ?? 0, 'call')} in the log</span>
            <Button
              look="bare"
              className="h-6 px-1"
              aria-label={`Remove the rule ${rule}`}
              disabled={change.isPending}
              onClick={() => change.mutate({ calls: calls.filter((other) => other !== rule), off })}
            >
              <X size={13} aria-hidden />
            </Button>
          </li>
        ))}
      </ul>
    </div>
  );
});

/** Leaves calls like one out of all lists. */
export function IgnoreLike({ call }: { call: string }) {
  const ignore = useChange(() => ignoreLike(call));
  return (
    <Button
      disabled={ignore.isPending}
      onClick={() =>
        ignore.mutate(undefined, {
          onSuccess: () =>
            notifyChange(
              'Calls to the same place are ignored: they are kept, and left out of lists',
              refillFeed,
            ),
        })
      }
    >
      <EyeOff size={14} aria-hidden />
      Ignore calls like this
    </Button>
  );
}

/** A change of what is ignored: lists are read anew after it. */
function useChange<T>(change: (what: T) => Promise<unknown>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: change,
    onSettled: async () => {
      await Promise.all([
        queries.invalidateQueries({ queryKey: keys.ignored() }),
        queries.invalidateQueries({ queryKey: keys.callLists() }),
        refillFeed(),
      ]);
    },
    onError: (error) => notify(error.message),
  });
}
