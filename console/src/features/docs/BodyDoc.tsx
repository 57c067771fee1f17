import type { OperationBody } from '@/api/types';
import { pretty } from '@/lib/format';
import { CopyButton } from '@/ui/CopyButton';
import { PartTable } from './PartTable';

/** A body in one media type: its places, and a sample to open. */
export function BodyDoc({ body }: { body: OperationBody }) {
  return (
    <div className="pb-2">
      <h3 className="px-5 pb-1 font-mono text-dim text-xs">{body.mediaType}</h3>
      {body.fields && <PartTable parts={body.fields} />}
      {body.sample && (
        <details className="px-5 pt-2">
          <summary className="w-max cursor-pointer text-accent text-xs">A sample</summary>
          <div className="relative mt-1">
            <section
              tabIndex={0}
              aria-label={`Sample as ${body.mediaType}`}
              className="max-h-72 overflow-auto whitespace-pre-wrap break-words rounded bg-sunken p-2.5 font-mono text-xs"
            >
              {pretty(body.sample)}
            </section>
            <div className="absolute top-1 right-1">
              <CopyButton text={body.sample} what="sample" />
            </div>
          </div>
        </details>
      )}
    </div>
  );
}
