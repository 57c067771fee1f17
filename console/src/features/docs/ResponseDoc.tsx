import { Link } from 'wouter';
import type { OperationResponse } from '@/api/types';
import { statusText } from '@/lib/statusText';
import { Panel } from '@/ui/Panel';
import { BodyDoc } from './BodyDoc';
import { PartTable } from './PartTable';

/** One response: when it comes, its examples, headers, bodies and where to go on. */
export function ResponseDoc({ base, response }: { base: string; response: OperationResponse }) {
  const reason = statusText(Number(response.status));
  return (
    <Panel title={`Answer ${response.status}${reason ? ` ${reason}` : ''}`}>
      <div className="space-y-2">
        {response.description && <p className="max-w-prose px-5">{response.description}</p>}
        {response.examples && (
          <p className="px-5 text-[13px]">
            Named examples:{' '}
            {response.examples.map((name, i) => (
              <span key={name}>
                {i > 0 && ', '}
                <code className="text-xs">{name}</code>
              </span>
            ))}
            <span className="text-dim">
              {' '}
              — ask for one with the header <code className="text-xs">Rapid-Mimic: example="…"</code>
            </span>
          </p>
        )}
        {response.headers && <PartTable parts={response.headers} />}
        {response.bodies?.map((body) => (
          <BodyDoc key={body.mediaType} body={body} />
        ))}
        {response.links?.map((link) => (
          <p key={link.name} className="px-5 text-[13px]">
            Go on with{' '}
            <Link
              href={`${base}/${encodeURIComponent(link.operation)}`}
              className="text-accent hover:underline"
            >
              {link.operation}
            </Link>
            {link.description && <span className="text-dim">: {link.description}</span>}
          </p>
        ))}
      </div>
    </Panel>
  );
}
