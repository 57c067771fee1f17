import type { CallDetail } from '@/api/types';
import { duration } from '@/lib/format';

const parts = [
  { key: 'readMs', word: 'reading the request', fill: 'fill-line' },
  { key: 'decideMs', word: 'deciding', fill: 'fill-accent' },
  { key: 'askMs', word: 'asking the upstream', fill: 'fill-upstream' },
  { key: 'waitMs', word: 'held back', fill: 'fill-impairment' },
  { key: 'sendMs', word: 'sending', fill: 'fill-dim' },
] as const;

/** Where the time of a call went; of one that the service made itself it is all one wait. */
export function TimingBar({
  timing,
  tookMs,
  made,
}: {
  timing: CallDetail['timing'];
  tookMs: number;
  made: boolean;
}) {
  const all = parts.reduce((sum, { key }) => sum + timing[key], 0) || 1;
  let x = 0;
  return (
    <div className="space-y-1 text-xs">
      <svg width="100%" height="6" viewBox="0 0 100 6" preserveAspectRatio="none" aria-hidden="true">
        {parts.map(({ key, fill }) => {
          const width = (100 * timing[key]) / all;
          const start = x;
          x += width;
          return <rect key={key} x={start} y="0" width={width} height="6" className={fill} />;
        })}
      </svg>
      <p className="flex flex-wrap gap-x-4 text-dim">
        <span className="text-ink">
          {duration(tookMs)} {made ? 'until it was answered' : 'in all'}
        </span>
        {parts
          .filter(({ key }) => !made && (timing[key] > 0 || key === 'decideMs'))
          .map(({ key, word, fill }) => (
            <span key={key} className="inline-flex items-center gap-1">
              <svg width="8" height="8" aria-hidden="true">
                <rect width="8" height="8" className={fill} />
              </svg>
              {word} {duration(timing[key])}
            </span>
          ))}
      </p>
    </div>
  );
}
