import { useQuery } from '@tanstack/react-query';
import { useMyLane } from '@/api/myLane';
import { scenarioList } from '@/features/scenarios';
import { Awaited } from '@/ui/Awaited';
import { LaneRow } from './LaneRow';
import { OpenLane } from './OpenLane';
import { laneList } from './queries';

/** The private views of the environment that are open. */
export function LanesPage() {
  const query = useQuery(laneList());
  const scenarios = useQuery(scenarioList());
  const mine = useMyLane();
  return (
    <div className="h-full overflow-y-auto">
      <div className="space-y-3 px-5 pt-4 pb-4">
        <h1 className="font-semibold text-lg">Lanes</h1>
        <p className="max-w-[820px] text-[13px] text-dim">
          A lane is a view of the services for one tester or one test run. What is switched on in it nobody
          else notices, and it notices nothing of what others switch on. It closes itself; its calls stay in
          the log.
        </p>
        <OpenLane />
      </div>
      <Awaited query={query} what="the lanes">
        {({ items }) =>
          items.length === 0 ? (
            <p className="border-line border-t px-5 py-3 text-dim">No lane is open.</p>
          ) : (
            <ul className="border-line border-t">
              {items.map((lane) => (
                <LaneRow
                  key={lane.name}
                  lane={lane}
                  mine={lane.name === mine}
                  scenarios={scenarios.data?.items ?? []}
                />
              ))}
            </ul>
          )
        }
      </Awaited>
    </div>
  );
}
