import type { Trial } from '@/api/types';
import { pretty } from '@/lib/format';
import { statusText } from '@/lib/statusText';

/** What one call would get, and why. */
export function TrialResult({ result }: { result?: Trial['result'] }) {
  if (!result) {
    return (
      <p className="border-line border-t px-4 py-2 text-dim text-xs md:border-l">
        Choose a call to see what it would get, and why.
      </p>
    );
  }
  return (
    <section
      tabIndex={0}
      aria-label="What the call would get"
      className="space-y-1.5 overflow-y-auto border-line border-t px-4 py-2 text-xs md:border-l"
    >
      <p>{result.explanation.sentence}</p>
      {result.asks ? (
        <p className="break-all">
          What <code>{result.asks}</code> says, which was not asked.
        </p>
      ) : (
        <>
          <p className="font-medium">
            {result.status} {statusText(result.status)}
          </p>
          <pre className="whitespace-pre-wrap break-words rounded bg-sunken p-2 font-mono">
            {result.answer.encoding === 'text' ? pretty(result.answer.body) || 'no body' : 'bytes, not text'}
          </pre>
        </>
      )}
    </section>
  );
}
