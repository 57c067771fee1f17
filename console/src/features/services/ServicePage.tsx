import { useQuery } from '@tanstack/react-query';
import { lazy, type ReactNode, Suspense } from 'react';
import { Link } from 'wouter';
import { useMyLane } from '@/api/myLane';
import { useStatus } from '@/api/status';
import type { Service } from '@/api/types';
import { AnswerList } from '@/features/answers';
import { useAddress } from '@/features/lanes';
import { useTitle } from '@/lib/title';
import { CopyButton } from '@/ui/CopyButton';
import { Panel } from '@/ui/Panel';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { Waiting } from '@/ui/Waiting';
import { DropContract } from './DropContract';
import { MemorySwitch } from './MemorySwitch';
import { ModeSwitch } from './ModeSwitch';
import { serviceByName } from './queries';
import { RoomTabs } from './RoomTabs';
import { addressOf, roomsOf } from './rooms';
import { type Importing, useImport } from './useImport';

// rooms that are not the first one of most visits are fetched when they are opened
const CallbackPanel = lazy(() =>
  import('@/features/callbacks/CallbackPanel').then((m) => ({ default: m.CallbackPanel })),
);
const CallbackSwitch = lazy(() =>
  import('@/features/callbacks/CallbackSwitch').then((m) => ({ default: m.CallbackSwitch })),
);
const CallsPage = lazy(() => import('@/features/calls/CallsPage').then((m) => ({ default: m.CallsPage })));
const ContractRoom = lazy(() => import('./ContractRoom').then((m) => ({ default: m.ContractRoom })));
const ImpairmentPanel = lazy(() =>
  import('@/features/impairments/ImpairmentPanel').then((m) => ({ default: m.ImpairmentPanel })),
);
const MemoryPanel = lazy(() =>
  import('@/features/memory/MemoryPanel').then((m) => ({ default: m.MemoryPanel })),
);
const RecallPanel = lazy(() =>
  import('@/features/memory/RecallPanel').then((m) => ({ default: m.RecallPanel })),
);
const RecordingPanel = lazy(() =>
  import('@/features/recordings/RecordingPanel').then((m) => ({ default: m.RecordingPanel })),
);
const ServiceSettings = lazy(() => import('./ServiceSettings').then((m) => ({ default: m.ServiceSettings })));

/** A service, one room of it at a time. */
export function ServicePage({ name, room = '' }: { name: string; room?: string }) {
  const query = useQuery(serviceByName(name));
  const importing = useImport(name);
  const word = query.data && roomsOf(query.data).find(({ id }) => id === room)?.word;
  useTitle(...(word && room ? [word.toLowerCase()] : []), name);
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
  return (
    <DropContract onFile={importing.take} words={`Drop a contract to import it into ${service.name}`}>
      <ServiceHead service={service} />
      <RoomTabs service={service} room={room} />
      <div className="flex min-h-0 flex-1 flex-col border-line border-t">
        <Suspense fallback={<Waiting what="the room" />}>
          <RoomOf service={service} room={room} importing={importing} />
        </Suspense>
      </div>
      {importing.dialog}
    </DropContract>
  );
}

function RoomOf({ service, room, importing }: { service: Service; room: string; importing: Importing }) {
  switch (room) {
    case '':
      return <AnswerList service={service} />;
    case 'calls':
      return <CallsPage service={service.name} />;
    case 'trouble':
      return (
        <Scrolled>
          <ImpairmentPanel service={service.name} />
        </Scrolled>
      );
    case 'recordings':
      return (
        <Scrolled>
          <RecordingPanel service={service} />
        </Scrolled>
      );
    case 'memory':
      return (
        <Scrolled>
          {service.contract && (
            <Panel title="Collections" aside={<MemorySwitch service={service} />}>
              <MemoryPanel service={service.name} />
            </Panel>
          )}
          <RecallPanel service={service.name} />
        </Scrolled>
      );
    case 'callbacks':
      return (
        <Scrolled>
          <Panel title="Calls that the service makes" aside={<CallbackSwitch service={service} />}>
            <CallbackPanel service={service} />
          </Panel>
        </Scrolled>
      );
    case 'contract':
      return (
        <Scrolled>
          <ContractRoom service={service} importing={importing} />
        </Scrolled>
      );
    case 'settings':
      return (
        <Scrolled>
          <ServiceSettings service={service} />
        </Scrolled>
      );
    default:
      return (
        <div className="p-5">
          <ProblemNotice message={`${service.name} has no page "${room}".`}>
            <Link href={addressOf(service.name, '')} className="text-accent underline">
              What it answers
            </Link>
          </ProblemNotice>
        </div>
      );
  }
}

function Scrolled({ children }: { children: ReactNode }) {
  return <div className="min-h-0 flex-1 overflow-y-auto py-4">{children}</div>;
}

function ServiceHead({ service }: { service: Service }) {
  const address = useAddress(service.address);
  return (
    <div className="flex flex-wrap items-center gap-x-5 gap-y-1 px-5 pt-3 pb-1.5 text-[13px]">
      <h1 className="font-semibold text-lg">
        {service.name} <span className="font-normal text-dim">{service.title}</span>
      </h1>
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
      <Situation />
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
    <p className="w-full text-[13px] text-dim">
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
