import { useQuery } from '@tanstack/react-query';
import { download } from '@/api/http';
import { Awaited } from '@/ui/Awaited';
import { CommandLine } from '@/ui/CommandLine';
import { Described } from './OperationDoc';
import { OperationMenu } from './OperationMenu';
import { referenceDetail, referenceList } from './queries';

/** The control API itself, one operation at a time. */
export function ApiPage({ operation }: { operation?: string }) {
  const query = useQuery(referenceList());
  return (
    <Awaited query={query} what="the API">
      {({ items }) => {
        const operations = items
          .filter((item) => !item.skipped)
          .map((item) => ({ ...item, path: item.path.replace(/^\/api\/v1(?=\/)/, '') }));
        const shown = operation ?? operations[0]?.id ?? '';
        return (
          <div className="flex h-full min-h-0 flex-col">
            <h1 className="border-line border-b px-5 py-3 font-semibold text-lg">
              The control API{' '}
              <span className="font-normal text-dim">
                below /api/v1, that this console and the command line use ·{' '}
                <button
                  type="button"
                  className="text-accent hover:underline"
                  onClick={() => download('/openapi.yaml', 'rapidmimic.openapi.yaml')}
                >
                  its OpenAPI document
                </button>
              </span>
            </h1>
            <div className="flex min-h-0 flex-1 flex-wrap md:flex-nowrap">
              <OperationMenu base="/reference" operations={operations} shown={shown} />
              <Operation key={shown} operation={shown} />
            </div>
          </div>
        );
      }}
    </Awaited>
  );
}

function Operation({ operation }: { operation: string }) {
  const query = useQuery(referenceDetail(operation));
  return (
    <div className="min-w-0 flex-1 overflow-y-auto">
      <Awaited query={query} what="the operation">
        {(detail) => (
          <article>
            <header className="space-y-2 px-5 pt-4 pb-4">
              <h2 className="font-semibold text-[15px]">{detail.summary || detail.id}</h2>
              <p className="break-all font-mono text-[13px]">
                {detail.method} {detail.path}
              </p>
              {detail.description && <p className="max-w-prose whitespace-pre-line">{detail.description}</p>}
              <CommandLine command={detail.curl} />
            </header>
            <Described base="/reference" detail={detail} />
          </article>
        )}
      </Awaited>
    </div>
  );
}
