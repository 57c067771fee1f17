import { useMutation } from '@tanstack/react-query';
import { Link } from 'wouter';
import { useMyLane } from '@/api/myLane';
import type { ImpairmentItem } from '@/api/types';
import { count, moment } from '@/lib/format';
import { Button } from '@/ui/Button';
import { Curve } from '@/ui/Curve';
import { notify, notifyChange } from '@/ui/Notices';
import { removeImpairment, resetImpairments } from './queries';
import { useRefresh } from './useRefresh';

/** One impairment that is on: for what, what it does, by whom, and how to stop it. */
export function ImpairmentRow({ item, off }: { item: ImpairmentItem; off: boolean }) {
  const refresh = useRefresh();
  const lane = useMyLane();
  const { target, text, own, since, by, down, limits, impairment } = item;
  const stop = useMutation({
    mutationFn: () => removeImpairment(target, lane),
    onSuccess: async () => {
      notifyChange(`No longer: ${text}`);
      await refresh();
    },
    onError: (error) => notify(`It goes on: ${error.message}`),
  });
  const reset = useMutation({
    mutationFn: () => resetImpairments(lane, target.service),
    onSuccess: async () => {
      await refresh();
      notify(`Draws, limits and advice of ${target.service ?? 'everything'} were reset`);
    },
    onError: (error) => notify(error.message),
  });
  const where = target.operation ?? target.mapping ?? (target.service ? 'the whole service' : 'everything');
  return (
    <li
      className="flex flex-wrap items-center gap-x-4 gap-y-1 border-line border-b bg-panel px-5 py-2"
      data-impairment={where}
    >
      <span className="w-44 shrink-0 font-medium">{where}</span>
      <span className={off ? 'text-dim line-through' : 'text-impairment'}>{text}</span>
      {down && !off && <span className="font-medium text-bad">down now</span>}
      <Did did={item.did} />
      {item.draws && <span className="text-dim text-xs">seed {impairment.seed}</span>}
      {limits?.map(({ caller, used, resetMs }) => (
        <span key={caller} className="text-dim text-xs tabular-nums">
          {caller || 'all callers'}: {used} of {impairment.limit?.calls} used, the next leaves in{' '}
          {(resetMs / 1000).toFixed(1)} s
        </span>
      ))}
      <span className="ml-auto flex items-center gap-3 text-dim text-xs">
        {since && `since ${moment(since)}`}
        {by && ` by ${by}`}
        {item.origin && !own ? (
          <span>
            of{' '}
            <Link
              href={item.origin.startsWith('lane') ? '/lanes' : '/scenarios'}
              className="text-accent underline"
            >
              {item.origin}
            </Link>
          </span>
        ) : null}
        {own ? (
          <Link
            href={`/services/${encodeURIComponent(target.service ?? '')}/mappings/${encodeURIComponent(target.mapping ?? '')}`}
            className="text-accent hover:underline"
          >
            of the mapping itself
          </Link>
        ) : item.origin?.startsWith('scenario') ? null : (
          <>
            {(impairment.limit || impairment.errors) && (
              <Button look="bare" disabled={reset.isPending} onClick={() => reset.mutate()}>
                Reset
              </Button>
            )}
            <Button disabled={stop.isPending} onClick={() => stop.mutate()}>
              Stop it
            </Button>
          </>
        )}
      </span>
    </li>
  );
}

/** To how many calls it did something since it is on, and how that was in the last minutes. */
function Did({ did: { calls, hit, minutes } }: { did: ImpairmentItem['did'] }) {
  if (calls === 0) return <span className="text-dim text-xs">no call yet</span>;
  const words = `hit ${hit.toLocaleString('en')} of ${count(calls, 'call')}`;
  const share = hit > 0 && hit < calls ? `, ${Math.round((hit / calls) * 100)} %` : '';
  return (
    <span className="flex items-center gap-2 text-xs tabular-nums">
      {words + share}
      <Curve
        values={minutes.map((minute) => minute.calls)}
        hit={minutes.map((minute) => minute.hit)}
        label={`The last ${minutes.length} minutes: calls, and those that it hit`}
      />
    </span>
  );
}
