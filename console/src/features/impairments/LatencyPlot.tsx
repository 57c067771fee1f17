import { useQuery } from '@tanstack/react-query';
import { useMyLane } from '@/api/myLane';
import type { ImpairmentDocument } from '@/api/types';
import { count, duration } from '@/lib/format';
import { bounds, setShares, sharesOf } from './latencyShares';
import { timingsOf } from './queries';

const width = 560;
const height = 120;
const bin = width / (bounds.length - 1);

/** As high as it becomes, so that nothing moves when it is there. */
const room = 'min-h-48';

interface Props {
  service: string;
  latency: ImpairmentDocument['latency'];
}

/** How long the last calls took, and the latency that is set, over one axis. */
export function LatencyPlot({ service, latency }: Props) {
  const { data } = useQuery(timingsOf(service, useMyLane()));
  if (!data) return <div className={room} />;
  const given = sharesOf(data.tookMs);
  const set = setShares(latency);
  const most = Math.max(...given, ...(set ?? []), 0.01);
  const y = (share: number) => height - (share / most) * (height - 6);
  const last = data.minutes.at(-1);
  return (
    <figure className={`min-w-0 space-y-1 ${room}`}>
      <svg
        viewBox={`0 0 ${width} ${height + 16}`}
        className="w-full max-w-[560px]"
        role="img"
        aria-label={`Times of the last ${data.tookMs.length} calls`}
      >
        {given.map((share, i) => (
          <rect
            key={bounds[i]}
            x={i * bin + 1}
            y={y(share)}
            width={bin - 2}
            height={height - y(share)}
            className="fill-contract"
          />
        ))}
        {set && (
          <polyline
            points={set.map((share, i) => `${(i + 0.5) * bin},${y(share)}`).join(' ')}
            className="fill-none stroke-impairment"
            strokeWidth="2"
          />
        )}
        <line x1="0" x2={width} y1={height} y2={height} className="stroke-line" />
        {[1, 10, 100, 1_000, 10_000].map((ms) => (
          <text
            key={ms}
            x={(Math.log10(ms) + 1) * 6 * bin}
            y={height + 13}
            textAnchor="middle"
            fontSize="11"
            className="fill-dim"
          >
            {ms < 1_000 ? `${ms} ms` : `${ms / 1_000} s`}
          </text>
        ))}
      </svg>
      <figcaption className="flex flex-wrap gap-x-4 text-xs">
        {data.tookMs.length === 0 ? (
          <span className="text-dim">No call in the last five minutes</span>
        ) : (
          <>
            <span className="text-contract">▮ given, {count(data.tookMs.length, 'call')}</span>
            <span className="tabular-nums">
              p50 {duration(data.p50Ms)}, p90 {duration(data.p90Ms)}, p99 {duration(data.p99Ms)}
            </span>
          </>
        )}
        {set && <span className="text-impairment">— latency that is set</span>}
      </figcaption>
      <p className="text-dim text-xs">
        Errors by minute, the last one last:{' '}
        {data.minutes.map(({ calls, errors }, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: minutes have no other name
          <span key={i} className="mr-3 text-ink tabular-nums">
            {calls ? `${Math.round((100 * errors) / calls)} %` : '–'}
          </span>
        ))}
        {last && last.calls > 0 && `(${last.errors} of ${last.calls} in the last minute)`}
      </p>
    </figure>
  );
}
