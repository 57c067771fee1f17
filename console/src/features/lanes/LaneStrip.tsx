import { Link } from 'wouter';
import { myLane } from '@/api/myLane';
import type { StatusHere } from '@/api/status';
import { clock } from '@/lib/format';
import { Button } from '@/ui/Button';

/** Which lane is mine and which scenario is on in it, or for calls in none: on every page. */
export function LaneStrip({ status, mine }: { status: StatusHere; mine: string }) {
  const { scenario, until } = status.scenario;
  if (status.laneClosed) {
    // what is on for everybody is not what whoever works in a lane asks about
    return (
      <span className="flex shrink-0 items-center gap-2 font-medium text-bad" role="status">
        my lane {mine} is closed
        <Button className="h-6" onClick={() => myLane.set('')}>
          Leave it
        </Button>
      </span>
    );
  }
  return (
    <>
      {mine && (
        <Link href="/lanes" className="shrink-0 font-medium text-accent hover:underline">
          my lane: {mine}
        </Link>
      )}
      <Link
        href="/scenarios"
        data-testid="scenario"
        className={
          scenario ? 'min-w-0 truncate font-medium text-accent hover:underline' : 'text-dim hover:underline'
        }
      >
        {scenario ? `scenario: ${scenario}${until ? ` until ${clock(until)}` : ''}` : 'no scenario'}
      </Link>
    </>
  );
}
