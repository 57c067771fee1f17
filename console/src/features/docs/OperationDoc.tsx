import { useQuery } from '@tanstack/react-query';
import { Link } from 'wouter';
import { operationDetail } from '@/api/operations';
import type { OperationDetail } from '@/api/types';
import { count, shortTime } from '@/lib/format';
import { Awaited } from '@/ui/Awaited';
import { CommandLine } from '@/ui/CommandLine';
import { Panel } from '@/ui/Panel';
import { BodyDoc } from './BodyDoc';
import { PartTable } from './PartTable';
import { PinnedFields } from './PinnedFields';
import { docsOf, measuredLatencies } from './queries';
import { ResponseDoc } from './ResponseDoc';
import { TestCallForm } from './TestCallForm';

/** One operation: how to call it, what it takes and what comes back. */
export function OperationDoc({ service, operation }: { service: string; operation: string }) {
  const query = useQuery(operationDetail(service, operation));
  return (
    <div className="min-w-0 flex-1 overflow-y-auto">
      <Awaited query={query} what="the operation">
        {(detail) => (
          <article>
            <Head service={service} detail={detail} />
            <TestCallForm service={service} detail={detail} />
            <PinnedFields service={service} operation={detail.id} />
            <Described base={docsOf(service)} detail={detail} />
          </article>
        )}
      </Awaited>
    </div>
  );
}

/** What an operation takes, and what comes back. */
export function Described({ base, detail }: { base: string; detail: OperationDetail }) {
  return (
    <>
      {detail.security && (
        <Panel title="Credentials">
          <p className="px-5">{detail.security.join(', or ')}</p>
        </Panel>
      )}
      {detail.parameters.length > 0 && (
        <Panel title="Parameters">
          <PartTable parts={detail.parameters} />
        </Panel>
      )}
      {detail.takes.length > 0 && (
        <Panel title={detail.bodyRequired ? 'Body, required' : 'Body'}>
          {detail.takes.map((body) => (
            <BodyDoc key={body.mediaType} body={body} />
          ))}
        </Panel>
      )}
      {detail.responses.map((response) => (
        <ResponseDoc
          key={`${response.status} ${response.description ?? ''}`}
          base={base}
          response={response}
        />
      ))}
      {detail.callbacks?.map((callback) => (
        <Panel key={callback.name} title={`Callback ${callback.name}`}>
          <p className="px-5 pb-2">
            {callback.summary}{' '}
            <code className="break-all text-xs">
              {callback.method} {callback.address}
            </code>
          </p>
          {callback.sends.map((body) => (
            <BodyDoc key={body.mediaType} body={body} />
          ))}
        </Panel>
      ))}
    </>
  );
}

function Head({ service, detail }: { service: string; detail: OperationDetail }) {
  const calls = detail.calls;
  const find = `/calls?${new URLSearchParams({ text: `/${service}/ operation:${detail.id}` })}`;
  return (
    <header className="space-y-2 px-5 pt-4 pb-4">
      <h2 className="font-semibold text-[15px]">{detail.summary || detail.id}</h2>
      <p className="break-all font-mono text-[13px]">
        {detail.method} {detail.path}
      </p>
      {detail.deprecated && <p className="text-miss">Deprecated by the contract. It answers all the same.</p>}
      {detail.description && <p className="max-w-prose whitespace-pre-line">{detail.description}</p>}
      {detail.facts && (
        <dl className="grid grid-cols-[max-content_minmax(0,1fr)] gap-x-3 gap-y-0.5 text-[13px]">
          {detail.facts.map(({ name, value }) => (
            <div key={`${name} ${value}`} className="contents">
              <dt className="text-dim">{name}</dt>
              <dd className="break-words">{value}</dd>
            </div>
          ))}
        </dl>
      )}
      {calls && (
        <p className="text-[13px]">
          <Link href={find} className="text-accent hover:underline">
            {count(calls.total, 'call')} since the start
          </Link>
          {calls.deviating > 0 && (
            <>
              {', '}
              <Link href={`${find}+deviates`} className="text-miss hover:underline">
                {calls.deviating} of them against the contract
              </Link>
            </>
          )}
        </p>
      )}
      <Recorded service={service} operation={detail.id} />
      <CommandLine command={detail.curl} />
    </header>
  );
}

/** How long the upstream took while it was recorded; nothing where nobody measured that. */
function Recorded({ service, operation }: { service: string; operation: string }) {
  const { data } = useQuery(measuredLatencies(service));
  const measured = data?.items.find(({ of }) => of === operation);
  if (!measured) return null;
  return (
    <p className="text-[13px] text-dim">
      At the upstream it took {shortTime(measured.p50)} (p50), {shortTime(measured.p90)} (p90),{' '}
      {shortTime(measured.p99)} (p99), over {count(measured.calls, 'recorded call')}
    </p>
  );
}
