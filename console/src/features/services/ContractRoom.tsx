import type { Service } from '@/api/types';
import { count } from '@/lib/format';
import { Panel } from '@/ui/Panel';
import { ImportControl } from './ImportControl';
import { RevisionTable } from './RevisionTable';
import { UndescribedTable } from './UndescribedTable';
import type { Importing } from './useImport';

/** The contract of a service: what it is, what it lacks, and its revisions. */
export function ContractRoom({ service, importing }: { service: Service; importing: Importing }) {
  const { contract } = service;
  const take = (
    <ImportControl
      onPress={() => importing.take()}
      look="plain"
      words={contract ? 'Import a new revision' : 'Import a contract'}
    />
  );
  if (!contract) {
    return (
      <div className="space-y-3 px-5">
        <p className="text-dim">
          This service has no contract. Drop an OpenAPI document on this page, or answer by mappings alone.
        </p>
        {take}
      </div>
    );
  }
  const facts: [string, string][] = [
    ['Format', `${contract.format}, revision ${contract.revision} from ${contract.file || 'an upload'}`],
    ['Answers', count(service.operations, 'operation')],
    ...(contract.servers ?? []).map(({ address, name, description }): [string, string] => [
      'Served at',
      [address, name, description].filter(Boolean).join(', '),
    ]),
    ...(contract.tokens ? [['Tokens at', contract.tokens.join(', ')] as [string, string]] : []),
    ...(contract.files ? [['Files', contract.files.join(', ')] as [string, string]] : []),
  ];
  return (
    <>
      <div className="px-5 pb-5">
        <div className="mb-2 flex flex-wrap items-center justify-between gap-3">
          <h2 className="font-semibold text-[15px]">
            {contract.title} <span className="font-normal text-dim">{contract.version}</span>
          </h2>
          {take}
        </div>
        <dl className="grid grid-cols-[max-content_minmax(0,1fr)] gap-x-5 gap-y-1 text-[13px]">
          {facts.map(([name, value], i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: names repeat and lines never move
            <div key={i} className="contents">
              <dt className="text-dim">{i > 0 && facts[i - 1]?.[0] === name ? '' : name}</dt>
              <dd className="break-words">{value}</dd>
            </div>
          ))}
        </dl>
      </div>
      <UndescribedTable service={service} />
      <Panel title="Revisions">
        <RevisionTable service={service.name} restore={importing.restore} />
      </Panel>
    </>
  );
}
