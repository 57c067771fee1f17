import { useQuery } from '@tanstack/react-query';
import { useMyLane } from '@/api/myLane';
import { Awaited } from '@/ui/Awaited';
import { ImpairmentForm } from './ImpairmentForm';
import { ImpairmentRow } from './ImpairmentRow';
import { LatencyPlot } from './LatencyPlot';
import { impairmentList } from './queries';

/** What makes a service slow or fail, and how its calls fare. */
export function ImpairmentPanel({ service }: { service: string }) {
  const lane = useMyLane();
  const query = useQuery(impairmentList(lane));
  // as high as the form, so that nothing below moves when it is there
  return (
    <div className="min-h-60">
      <Awaited query={query} what="the impairments">
        {({ items, off }) => {
          const here = items.filter(({ target }) => !target.service || target.service === service);
          return (
            <div className="space-y-4">
              {here.length > 0 && (
                <ul className="border-line border-t text-[13px]">
                  {here.map((item) => (
                    <ImpairmentRow key={JSON.stringify(item.target)} item={item} off={off} />
                  ))}
                </ul>
              )}
              <div className="grid gap-6 px-5 lg:grid-cols-[minmax(0,1fr)_minmax(0,460px)]">
                <ImpairmentForm service={service} items={here} />
                <LatencyPlot
                  service={service}
                  latency={
                    off ? undefined : here.find(({ impairment }) => impairment.latency)?.impairment.latency
                  }
                />
              </div>
            </div>
          );
        }}
      </Awaited>
    </div>
  );
}
