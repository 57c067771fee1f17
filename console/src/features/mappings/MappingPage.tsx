import { useQuery } from '@tanstack/react-query';
import { useSearchParams } from 'wouter';
import { operationList } from '@/api/operations';
import { callDetail } from '@/features/calls';
import { Awaited } from '@/ui/Awaited';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { MappingEditor } from './MappingEditor';
import { draftOf, draftOfCall, draftOfOperation, emptyDraft } from './mappingDraft';
import { mappingById, mappingText } from './queries';

/** An existing mapping, opened for editing. */
export function MappingPage({ service, id }: { service: string; id: string }) {
  const query = useQuery({ ...mappingById(service, id), staleTime: 0, refetchOnWindowFocus: false });
  const etag = query.data?.etag ?? '';
  const reading = mappingText(service, id);
  const text = useQuery({
    ...reading,
    queryKey: [...reading.queryKey, etag],
    enabled: etag !== '',
    refetchOnWindowFocus: false,
  });
  return (
    <Awaited query={query} what="the mapping">
      {(mapping) => (
        <Awaited query={text} what="its document">
          {(document) => (
            <MappingEditor
              key={mapping.etag}
              service={service}
              saved={{ mapping, text: document }}
              start={mapping.answer && draftOf(mapping)}
            />
          )}
        </Awaited>
      )}
    </Awaited>
  );
}

/** A new mapping: empty, or from an operation or a call that the URL names. */
export function NewMappingPage({ service }: { service: string }) {
  const [params] = useSearchParams();
  const call = params.get('from');
  const operation = params.get('operation');
  if (call) return <FromCall service={service} id={call} />;
  if (operation) return <FromOperation service={service} id={operation} />;
  return <MappingEditor service={service} start={emptyDraft()} />;
}

function FromCall({ service, id }: { service: string; id: string }) {
  const query = useQuery(callDetail(id));
  return (
    <Awaited query={query} what="the call">
      {(call) => <MappingEditor service={service} start={draftOfCall(call)} />}
    </Awaited>
  );
}

function FromOperation({ service, id }: { service: string; id: string }) {
  const query = useQuery(operationList(service));
  return (
    <Awaited query={query} what="the operation">
      {({ items }) => {
        const found = items.find((operation) => operation.id === id);
        if (found) return <MappingEditor service={service} start={draftOfOperation(found)} />;
        return (
          <div className="p-5">
            <ProblemNotice message={`The contract of ${service} has no operation ${id}.`} />
          </div>
        );
      }}
    </Awaited>
  );
}
