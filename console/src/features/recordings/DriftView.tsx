import type { DriftReport } from '@/api/types';
import { count } from '@/lib/format';

type Call = DriftReport['calls'][number];

/** In what the answers of now are not what was recorded. */
export function DriftView({ report }: { report: DriftReport }) {
  const { calls, compared, different, skipped, latency } = report;
  const told = calls.filter(
    (call) => call.differences?.length || call.deviations?.length || call.notes?.length,
  );
  return (
    <div role="status" className="rounded border border-line bg-panel px-3 py-2 text-[13px]">
      <p className="font-medium">
        {count(compared, 'call')} compared, {different === 0 ? 'none differs' : `${different} differ`}
        {skipped > 0 && `, ${skipped} not sent`}
      </p>
      {compared > 0 && (
        <p className="text-dim text-xs">
          p50 {ms(latency.nowP50)}, recorded {ms(latency.recordedP50)}; p90 {ms(latency.nowP90)}, recorded{' '}
          {ms(latency.recordedP90)}
        </p>
      )}
      <ul className="mt-1.5 max-h-[38vh] space-y-1.5 overflow-y-auto">
        {told.map((call) => (
          <li key={call.id}>
            <span className="break-all font-mono text-xs">{lineOf(call)}</span>
            <ul className="pl-4 text-xs">
              {call.differences?.map((difference) => (
                <li key={difference.at}>
                  <span className="font-mono">{difference.at}</span>: <Changed {...difference} />
                </li>
              ))}
              {call.deviations?.map(({ where, detail }) => (
                <li key={where + detail} className="text-bad">
                  breaks the contract: {where}, {detail}
                </li>
              ))}
              {call.notes?.map((note) => (
                <li key={note} className="text-dim">
                  {note}
                </li>
              ))}
            </ul>
          </li>
        ))}
        <Only calls={report.onlyRecorded} where={report.recording.name} />
        <Only calls={report.onlyNow} where={report.against} />
        {calls
          .filter((call) => call.skipped)
          .map((call) => (
            <li key={call.id} className="text-dim">
              <span className="break-all font-mono text-xs">{lineOf(call)}</span> not sent: {call.skipped}
            </li>
          ))}
      </ul>
    </div>
  );
}

const ms = (value: number) => `${value.toFixed(value < 10 ? 1 : 0)} ms`;

const lineOf = ({ method, path, query }: Pick<Call, 'method' | 'path' | 'query'>) =>
  `${method} ${path}${query ? `?${query}` : ''}`;

function Changed({ recorded, now }: { recorded?: string; now?: string }) {
  if (!recorded) return <>new, {now}</>;
  if (!now) return <>gone, it was {recorded}</>;
  return (
    <>
      {now} <span className="text-dim">it was {recorded}</span>
    </>
  );
}

function Only({ calls, where }: { calls: DriftReport['onlyNow']; where: string }) {
  return calls?.map((call) => (
    <li key={call.id}>
      <span className="break-all font-mono text-xs">{lineOf(call)}</span>{' '}
      <span className="text-dim">only in “{where}”</span>
    </li>
  ));
}
