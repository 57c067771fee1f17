import { useQuery } from '@tanstack/react-query';
import { Link } from 'wouter';
import { operationList } from '@/api/operations';
import { useTitle } from '@/lib/title';
import { Awaited } from '@/ui/Awaited';
import { OperationDoc } from './OperationDoc';
import { OperationMenu } from './OperationMenu';
import { docsOf } from './queries';

/** What a caller of a service needs to know, one operation at a time. */
export function DocsPage({ service, operation }: { service: string; operation?: string }) {
  const query = useQuery(operationList(service));
  useTitle(operation ?? '', 'documentation', service);
  return (
    <Awaited query={query} what="the operations">
      {({ items }) => {
        const answering = items.filter((item) => !item.skipped);
        const shown = operation ?? answering[0]?.id;
        return (
          <div className="flex h-full min-h-0 flex-col">
            <h1 className="border-line border-b px-5 py-3 font-semibold text-lg">
              <Link href={`/services/${encodeURIComponent(service)}`} className="hover:underline">
                {service}
              </Link>{' '}
              <span className="font-normal text-dim">for those who call it</span>
            </h1>
            {shown ? (
              <div className="flex min-h-0 flex-1 flex-wrap md:flex-nowrap">
                <OperationMenu base={docsOf(service)} operations={answering} shown={shown} />
                <OperationDoc key={shown} service={service} operation={shown} />
              </div>
            ) : (
              <p className="p-5 text-dim">
                This service has no contract with operations, so there is nothing to describe.
              </p>
            )}
          </div>
        );
      }}
    </Awaited>
  );
}
