import { count } from '@/lib/format';
import { tellAway } from '@/lib/title';
import { feed } from './callFeed';
import { callNumber } from './callFilter';
import { failed } from './callGroups';

/**
 * While the page is in the background, counts in its title the calls that failed or were missed, until
 * the returned function is called.
 */
export function watchWhileAway(): () => void {
  let since = Number.POSITIVE_INFINITY;
  const look = () => {
    const { calls } = feed.get();
    if (!document.hidden) {
      since = Number.POSITIVE_INFINITY;
      tellAway('');
      return;
    }
    if (since === Number.POSITIVE_INFINITY) since = calls[0] ? callNumber(calls[0]) : 0;
    let bad = 0;
    for (const call of calls) {
      if (callNumber(call) <= since) break;
      if (!call.ignored && (failed(call) || call.source === 'miss')) bad++;
    }
    if (bad > 0) tellAway(`${count(bad, 'call')} failed`);
  };
  document.addEventListener('visibilitychange', look);
  const unfollow = feed.subscribe(() => document.hidden && look());
  return () => {
    document.removeEventListener('visibilitychange', look);
    unfollow();
  };
}
