import { useMutation } from '@tanstack/react-query';
import { Link } from 'wouter';
import { myLane } from '@/api/myLane';
import type { Lane, Scenario } from '@/api/types';
import { useSituationRefresh, useSwitching } from '@/features/scenarios';
import { count, total } from '@/lib/format';
import { Button } from '@/ui/Button';
import { CopyButton } from '@/ui/CopyButton';
import { cn } from '@/ui/cn';
import { notify, notifyChange } from '@/ui/Notices';
import { Select } from '@/ui/Select';
import { EditLane } from './EditLane';
import { extended, left } from './left';
import { closeLane, extendLane } from './queries';

interface Props {
  lane: Lane;
  mine: boolean;
  scenarios: Scenario[];
}

const halfAnHour = 30 * 60;

/** One open lane: how to be in it, what is on in it, how long it stays. */
export function LaneRow({ lane, mine, scenarios }: Props) {
  const refresh = useSituationRefresh();
  const { flip } = useSwitching();
  const close = useMutation({
    mutationFn: () => closeLane(lane.name),
    onSuccess: async () => {
      notifyChange(`Lane ${lane.name} is closed; its calls stay in the log`);
      if (mine) myLane.set('');
      await refresh();
    },
    onError: (error) => notify(error.message),
  });
  const extend = useMutation({
    mutationFn: () => extendLane(lane.name, extended(lane.opened, lane.until, halfAnHour)),
    onSuccess: refresh,
    onError: (error) => notify(error.message),
  });
  return (
    <li
      data-lane={lane.name}
      className={cn(
        'border-line border-b bg-panel px-5 py-2.5',
        mine && 'shadow-[inset_3px_0_0_var(--accent)]',
      )}
    >
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1.5 text-[13px]">
        <h2 className="min-w-32 font-medium">
          {lane.name}
          {mine && <span className="ml-2 font-normal text-accent">my lane</span>}
        </h2>
        <Select
          label={`Scenario of ${lane.name}`}
          quiet
          value={lane.active.scenario}
          onChange={(scenario) => flip.mutate({ scenario, lane: lane.name })}
          options={[['', 'no scenario'], ...scenarios.map((s): [string, string] => [s.name, s.name])]}
        />
        <Link
          href={`/calls?${new URLSearchParams({ lane: lane.name })}`}
          className="text-accent hover:underline"
        >
          {count(total(lane.calls), 'call')}
        </Link>
        <span className="text-dim tabular-nums">closes in {left(lane.until)}</span>
        {lane.by && <span className="text-dim">opened by {lane.by}</span>}
        <span className="ml-auto flex gap-2">
          <Button onClick={() => myLane.set(mine ? '' : lane.name)}>
            {mine ? 'Leave it' : 'Make it mine'}
          </Button>
          <EditLane name={lane.name} />
          <Button disabled={extend.isPending} onClick={() => extend.mutate()}>
            30 minutes more
          </Button>
          <Button look="danger" disabled={close.isPending} onClick={() => close.mutate()}>
            Close
          </Button>
        </span>
      </div>
      {lane.lines.length > 0 && (
        <ul className="mt-1 text-[13px] text-dim">
          {lane.lines.map((line) => (
            <li key={line} className="break-words">
              {line}
            </li>
          ))}
        </ul>
      )}
      <p className="mt-1 flex flex-wrap items-center gap-x-5 gap-y-0.5 text-dim text-xs">
        <Way word="call" text={`${lane.address}/SERVICE`} copied={lane.address} />
        <Way word="or send" text={lane.header} />
        <Way word="or send" text={lane.baggage} />
        {lane.when && <span>or by its rule</span>}
      </p>
    </li>
  );
}

/** One way for a call to be in a lane. */
function Way({ word, text, copied = text }: { word: string; text: string; copied?: string }) {
  return (
    <span className="flex items-center gap-1.5">
      {word} <code className="text-ink">{text}</code>
      <CopyButton text={copied} what={text} />
    </span>
  );
}
