import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { X } from 'lucide-react';
import { useState } from 'react';
import { wrongIn } from '@/api/http';
import { keys } from '@/api/keys';
import type { Mark } from '@/api/types';
import { clock, count, moment } from '@/lib/format';
import { word } from '@/lib/shell';
import { Button } from '@/ui/Button';
import { CommandLine } from '@/ui/CommandLine';
import { Dialog, DialogClose, DialogContent, DialogTrigger } from '@/ui/Dialog';
import { Field } from '@/ui/Field';
import { notify, notifyChange } from '@/ui/Notices';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { Waiting } from '@/ui/Waiting';
import { backTo, markList, removeMark, setMark, setNightly } from './queries';

/** Names this moment, and brings everything back to one that was named. */
export function Marks() {
  const queries = useQueryClient();
  const { data } = useQuery(markList());
  const [name, setName] = useState('');
  const refresh = () => queries.invalidateQueries({ queryKey: keys.marks() });
  const set = useMutation({
    mutationFn: setMark,
    onSuccess: async (mark) => {
      setName('');
      await refresh();
      notify(`${mark.name} is marked`);
    },
  });
  return (
    <div className="flex flex-wrap items-end gap-x-6 gap-y-2">
      <form
        className="flex items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          set.mutate(name);
        }}
      >
        <Field
          label="Mark this moment, to come back to it"
          value={name}
          placeholder="before the release test"
          maxLength={100}
          onChange={(event) => {
            setName(event.target.value);
            set.reset();
          }}
          fault={set.error ? wrongIn(set.error) : undefined}
          className="w-64"
        />
        <Button type="submit" disabled={!name.trim() || set.isPending}>
          Mark it
        </Button>
      </form>
      <ul className="flex flex-wrap gap-2" aria-label="Marks">
        {data?.items.map((mark) => (
          <li
            key={mark.name}
            data-mark={mark.name}
            className="flex h-8 items-center gap-1 rounded border border-line bg-panel pr-1 pl-2.5 text-[13px]"
          >
            {mark.name}{' '}
            <span className="text-dim">
              {clock(mark.at)}
              {mark.everyNight && `, back to it every night at ${mark.everyNight}`}
            </span>
            <BackTo mark={mark} />
            <Button
              look="bare"
              className="h-6 px-1"
              aria-label={`Forget the mark ${mark.name}`}
              onClick={() => removeMark(mark.name).then(refresh)}
            >
              <X size={13} aria-hidden />
            </Button>
          </li>
        ))}
      </ul>
    </div>
  );
}

/** Shows what would be another, and brings everything back. */
function BackTo({ mark }: { mark: Mark }) {
  const [open, setOpen] = useState(false);
  return (
    <Dialog open={open} onOpenChange={setOpen}>
      <DialogTrigger asChild>
        <Button look="bare" className="h-6 px-1.5 text-xs">
          Back to it
        </Button>
      </DialogTrigger>
      <DialogContent title={`Back to “${mark.name}”`}>
        <Plan mark={mark} onDone={() => setOpen(false)} />
      </DialogContent>
    </Dialog>
  );
}

function Plan({ mark, onDone }: { mark: Mark; onDone(): void }) {
  const queries = useQueryClient();
  const plan = useQuery({
    queryKey: keys.plan(mark.name),
    queryFn: () => backTo(mark.name, true),
    staleTime: 0,
    gcTime: 0,
  });
  const go = useMutation({
    mutationFn: () => backTo(mark.name, false),
    onSuccess: async () => {
      notifyChange(`Back to “${mark.name}”`);
      await queries.invalidateQueries();
      onDone();
    },
  });
  if (plan.error) return <ProblemNotice message={wrongIn(plan.error)} />;
  if (!plan.data) return <Waiting what="what would be another" />;
  const { lines } = plan.data;
  return (
    <div className="space-y-3">
      <p className="text-[13px]">
        {lines.length === 0
          ? 'All definitions are as they were; only what is counted begins anew.'
          : `${count(lines.length, 'definition')} would be another, as one change that can be undone. Lanes, calls and recordings stay.`}
      </p>
      <ul className="max-h-64 list-disc overflow-auto pl-5 text-[13px]">
        {lines.map((line) => (
          <li key={line}>{line}</li>
        ))}
      </ul>
      <CommandLine command={`rapidmimic back-to ${word(mark.name)}`} />
      {go.isError && <ProblemNotice message={wrongIn(go.error)} />}
      <div className="flex gap-2">
        <Button look="main" disabled={go.isPending} onClick={() => go.mutate()}>
          Bring everything back
        </Button>
        <DialogClose asChild>
          <Button>Leave it as it is</Button>
        </DialogClose>
      </div>
      <Nightly mark={mark} />
    </div>
  );
}

/** Whether everything comes back to the mark by itself. */
function Nightly({ mark }: { mark: Mark }) {
  const queries = useQueryClient();
  const [at, setAt] = useState(mark.everyNight || '03:00');
  const set = useMutation({
    mutationFn: (everyNight: string) => setNightly(mark.name, everyNight),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.marks() }),
  });
  return (
    <form
      className="flex flex-wrap items-end gap-2 border-line border-t pt-3"
      onSubmit={(event) => {
        event.preventDefault();
        set.mutate(at);
      }}
    >
      <Field
        label="Come back to it every night at"
        type="time"
        required
        value={at}
        onChange={(event) => setAt(event.target.value)}
        fault={set.error ? wrongIn(set.error) : undefined}
        className="w-28"
      />
      <Button type="submit" disabled={set.isPending || at === mark.everyNight}>
        Every night
      </Button>
      {mark.everyNight && (
        <Button disabled={set.isPending} onClick={() => set.mutate('')}>
          No longer
        </Button>
      )}
      <p className="w-full text-dim text-xs">
        {mark.next
          ? `Next: ${moment(mark.next)}, in the time of this browser.`
          : 'In the time zone of the service. A night on which it was stopped is made up for at its start.'}
      </p>
    </form>
  );
}
