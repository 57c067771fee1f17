import { useQuery } from '@tanstack/react-query';
import { Link } from 'wouter';
import { useMyLane } from '@/api/myLane';
import { useStatus } from '@/api/status';
import type { Service } from '@/api/types';
import { CallbackPanel, CallbackSwitch } from '@/features/callbacks';
import { ImpairmentPanel } from '@/features/impairments';
import { useAddress } from '@/features/lanes';
import { MappingTable } from '@/features/mappings';
import { MemoryPanel, RecallPanel } from '@/features/memory';
import { RecordingPanel } from '@/features/recordings';
import { total } from '@/lib/format';
import { Button } from '@/ui/Button';
import { CopyButton } from '@/ui/CopyButton';
import { Panel } from '@/ui/Panel';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { Waiting } from '@/ui/Waiting';
import { MissingTable, UndescribedTable } from './CallGroups';
import { DropContract } from './DropContract';
import { ImportControl } from './ImportControl';
import { MemorySwitch } from './MemorySwitch';
import { ModeSwitch } from './ModeSwitch';
import { OperationTable } from './OperationTable';
import { serviceByName } from './queries';
import { RevisionTable } from './RevisionTable';
import { ServiceSettings } from './ServiceSettings';
import { useImport } from './useImport';

/** What one service can answer, and what it was asked for in vain. */
export function ServicePage({ name }: { name: string }) {
  const query = useQuery(serviceByName(name));
  const importing = useImport(name);
  if (query.isPending) return <Waiting what="the service" />;
  if (query.isError) {
    return (
      <div className="p-5">
        <ProblemNotice message={query.error.message}>
          <Link href="/" className="text-accent underline">
            All services
          </Link>
        </ProblemNotice>
      </div>
    );
  }
  const service = query.data;
  const newMapping = `/services/${encodeURIComponent(service.name)}/mappings`;
  return (
    <DropContract onFile={importing.take}>
      <ServiceHead service={service} />
      <Situation />
      {importing.report}
      <MissingTable service={service.name} />
      <Panel
        title="Mappings"
        aside={
          <Link href={newMapping} asChild>
            <Button>New mapping</Button>
          </Link>
        }
      >
        <MappingTable service={service.name} />
      </Panel>
      <Panel title="Slow or failing">
        <ImpairmentPanel service={service.name} />
      </Panel>
      <Panel title="Recordings">
        <RecordingPanel service={service} />
      </Panel>
      <Panel
        title={service.contract ? 'Operations of the contract' : 'Contract'}
        aside={
          <ImportControl
            onFile={importing.take}
            busy={importing.busy}
            look="plain"
            words={service.contract ? 'Import a new revision' : 'Import a contract'}
          />
        }
      >
        <OperationTable service={service} />
      </Panel>
      {service.contract && (
        <Panel title="Memory" aside={<MemorySwitch service={service} />}>
          <MemoryPanel service={service.name} />
        </Panel>
      )}
      {(service.contract?.callbacks || service.contract?.webhooks || service.callbacks) && (
        <Panel title="Callbacks" aside={<CallbackSwitch service={service} />}>
          <CallbackPanel service={service} />
        </Panel>
      )}
      <RecallPanel service={service.name} />
      <UndescribedTable service={service} />
      {service.contract && (
        <Panel title="Revisions of the contract">
          <RevisionTable service={service.name} restore={importing.restore} />
        </Panel>
      )}
      <Panel title="Settings">
        <ServiceSettings service={service} />
      </Panel>
    </DropContract>
  );
}

function ServiceHead({ service }: { service: Service }) {
  const { contract } = service;
  const lane = useMyLane();
  const address = useAddress(service.address);
  return (
    <div className="space-y-1 px-5 pt-4 pb-4">
      <h1 className="font-semibold text-lg">
        {service.name} <span className="font-normal text-dim">{service.title}</span>
      </h1>
      <p className="flex flex-wrap items-center gap-x-5 gap-y-1 text-[13px]">
        <span className="flex items-center gap-1">
          <code className="text-xs">{address}</code>
          <CopyButton text={address} what="address" />
        </span>
        {service.upstream && (
          <span className="flex items-center gap-2">
            <ModeSwitch service={service} />
            <span className="text-dim">upstream</span> <code className="text-xs">{service.upstream}</code>
          </span>
        )}
        <span className="text-dim">
          {contract
            ? `${contract.format}, ${contract.version && `version ${contract.version}, `}revision ${contract.revision} from ${contract.file || 'an upload'}`
            : 'no contract'}
        </span>
        <Link
          href={`/calls?${new URLSearchParams({ text: `/${service.name}/` })}`}
          className="text-accent hover:underline"
        >
          {lane ? 'its calls in my lane' : `${total(service.lastMinute)} calls in the last minute`}
        </Link>
        {contract && (
          <Link
            href={`/services/${encodeURIComponent(service.name)}/docs`}
            className="text-accent hover:underline"
          >
            Documentation for callers
          </Link>
        )}
      </p>
    </div>
  );
}

/** What a change on this page is for, where I am in a lane, and what is on. */
function Situation() {
  const lane = useMyLane();
  const { data } = useStatus();
  const scenario = data?.scenario.scenario;
  if (!lane && !scenario) return null;
  return (
    <p className="px-5 pb-3 text-[13px] text-dim">
      {lane && (
        <>
          In my lane, <strong className="font-medium text-ink">{lane}</strong>: mode, examples, what is slow
          or failing, and mappings that are kept in it are its own. Contract, settings and all other mappings
          are everybody's.{' '}
        </>
      )}
      {scenario && (
        <>
          Scenario{' '}
          <Link href={`/scenarios?${new URLSearchParams({ scenario })}`} className="text-accent underline">
            {scenario}
          </Link>{' '}
          is on; what it changes here bears its name.
        </>
      )}
    </p>
  );
}
