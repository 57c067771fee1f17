import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useSearchParams } from 'wouter';
import { operationDetail } from '@/api/operations';
import type { Mapping } from '@/api/types';
import { callDetail } from '@/features/calls';
import { useTitle } from '@/lib/title';
import { AlsoHere } from '@/ui/AlsoHere';
import { Awaited } from '@/ui/Awaited';
import { MappingEditor } from './MappingEditor';
import { beyondForm, draftOf, draftOfCall, draftOfOperation, emptyDraft } from './mappingDraft';
import { editorOf, ownerOf } from './owner';
import { mappingById, mappingText } from './queries';

/** The editor of one mapping: of the one with an id, else of a new one. */
export function MappingPages({ service, id }: { service: string; id?: string }) {
  useTitle(id ?? 'new mapping', service);
  if (!id) return <NewMappingPage service={service} />;
  return (
    <div className="flex h-full min-h-0 flex-col">
      <AlsoHere />
      <div className="min-h-0 flex-1">
        <MappingPage key={id} service={service} id={id} />
      </div>
    </div>
  );
}

/** An existing mapping, opened for editing: that of everybody, or of the lane that the URL names. */
function MappingPage({ service, id }: { service: string; id: string }) {
  const [params] = useSearchParams();
  const lane = params.get('lane') ?? '';
  const [open, setOpen] = useState(false);
  const query = useQuery({ ...mappingById(service, id, lane), staleTime: 0, refetchOnWindowFocus: false });
  const etag = query.data?.etag ?? '';
  const owner = ownerOf(query.data?.origin);
  const reading = mappingText(service, id, owner ? lane : '');
  const text = useQuery({
    ...reading,
    queryKey: [...reading.queryKey, etag],
    enabled: etag !== '',
    refetchOnWindowFocus: false,
  });
  return (
    <Awaited query={query} what="the mapping">
      {(mapping) =>
        owner?.kind === 'scenario' ? (
          <OfScenario service={service} mapping={mapping} name={owner.name} />
        ) : (
          <Awaited query={text} what="its document">
            {(document) => (
              <MappingEditor
                key={mapping.etag}
                service={service}
                saved={{ mapping, text: document, lane: owner?.name }}
                start={beyondForm(mapping) ? undefined : draftOf(mapping)}
                versions={{ open, setOpen }}
              />
            )}
          </Awaited>
        )
      }
    </Awaited>
  );
}

/** A scenario is edited as a whole. */
function OfScenario({ service, mapping, name }: { service: string; mapping: Mapping; name: string }) {
  return (
    <p className="p-5">
      Mapping <strong className="font-medium">{mapping.id}</strong> is of scenario {name}, and is edited with
      it:{' '}
      <Link href={editorOf(service, mapping.id, mapping.origin)} className="text-accent underline">
        scenario {name}
      </Link>
    </p>
  );
}

/** A new mapping: empty, or from an operation or a call that the URL names. */
function NewMappingPage({ service }: { service: string }) {
  const [params] = useSearchParams();
  const call = params.get('from');
  const operation = params.get('operation');
  if (call) return <FromCall service={service} id={call} where={params.get('where') ?? ''} />;
  if (operation) return <FromOperation service={service} id={operation} />;
  return <MappingEditor service={service} start={emptyDraft()} />;
}

function FromCall({ service, id, where }: { service: string; id: string; where: string }) {
  const query = useQuery(callDetail(id));
  return (
    <Awaited query={query} what="the call">
      {(call) => <MappingEditor service={service} start={draftOfCall(call, where)} />}
    </Awaited>
  );
}

function FromOperation({ service, id }: { service: string; id: string }) {
  const query = useQuery(operationDetail(service, id));
  return (
    <Awaited query={query} what="the operation">
      {(operation) => <MappingEditor service={service} start={draftOfOperation(operation)} />}
    </Awaited>
  );
}
