import { SourceMark } from './SourceMark';

export const sourceFills: Record<string, string> = {
  mapping: 'fill-mapping',
  contract: 'fill-contract',
  upstream: 'fill-upstream',
  impairment: 'fill-impairment',
  miss: 'fill-miss',
  self: 'fill-self',
  callback: 'fill-callback',
};

const order = ['mapping', 'contract', 'upstream', 'impairment', 'miss', 'self', 'callback'];

/** Who answered, as the shares of one bar with the numbers beside it. */
export function SourceBar({ counts }: { counts: Record<string, number> }) {
  const present = order.filter((source) => counts[source]);
  const all = present.reduce((sum, source) => sum + (counts[source] ?? 0), 0);
  if (all === 0) return <span className="text-dim">no calls</span>;
  let x = 0;
  return (
    <div className="flex flex-col gap-1">
      <svg
        width="160"
        height="8"
        viewBox="0 0 160 8"
        preserveAspectRatio="none"
        aria-hidden="true"
        className="rounded-sm"
      >
        {present.map((source) => {
          const width = (160 * (counts[source] ?? 0)) / all;
          const start = x;
          x += width;
          return (
            <rect
              key={source}
              x={start}
              y="0"
              width={Math.max(width - 1, 1)}
              height="8"
              className={sourceFills[source]}
            />
          );
        })}
      </svg>
      <span className="flex flex-wrap gap-x-3 text-xs">
        {present.map((source) => (
          <span key={source} className="inline-flex items-center gap-1">
            <SourceMark source={source} /> {counts[source]}
          </span>
        ))}
      </span>
    </div>
  );
}
