import { useQuery } from '@tanstack/react-query';
import { useSearchParams } from 'wouter';
import { part, send } from '@/api/http';
import type { Operation } from '@/api/types';
import { callDetail } from '@/features/calls';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { Waiting } from '@/ui/Waiting';
import { MappingEditor } from './MappingEditor';
import { draftOf, draftOfCall, draftOfOperation, emptyDraft } from './mappingDraft';
import { mappingById } from './queries';

/** An existing mapping, opened for editing. */
export function MappingPage({ service, id }: { service: string; id: string }) {
  const query = useQuery({ ...mappingById(service, id), staleTime: 0, refetchOnWindowFocus: false });
  if (query.isPending) return <Waiting what="the mapping" />;
  if (query.isError) return <Fault message={query.error.message} />;
  return (
    <MappingEditor key={query.data.etag} service={service} saved={query.data} start={draftOf(query.data)} />
  );
}

/** A new mapping: empty, or from an operation or a call that the URL names. */
export function NewMappingPage({ service }: { service: string }) {
  const [params] = useSearchParams();
  const from = params.get('from') ?? '';
  const operation = params.get('operation') ?? '';
  const call = useQuery({ ...callDetail(from), enabled: from !== '' });
  const operations = useQuery({
    queryKey: ['services', service, 'operations'],
    queryFn: () => send<{ items: Operation[] }>(`/services/${part(service)}/operations`),
    enabled: operation !== '',
  });
  if (from) {
    if (call.isPending) return <Waiting what="the call" />;
    if (call.isError) return <Fault message={call.error.message} />;
    return <MappingEditor service={service} start={draftOfCall(call.data)} />;
  }
  if (operation) {
    if (operations.isPending) return <Waiting what="the operation" />;
    if (operations.isError) return <Fault message={operations.error.message} />;
    const found = operations.data.items.find((o) => o.id === operation);
    if (!found) return <Fault message={`The contract of ${service} has no operation ${operation}.`} />;
    return <MappingEditor service={service} start={draftOfOperation(found)} />;
  }
  return <MappingEditor service={service} start={emptyDraft()} />;
}

function Fault({ message }: { message: string }) {
  return (
    <div className="p-5">
      <ProblemNotice message={message} />
    </div>
  );
}
