import { lazy, Suspense } from 'react';
import { Link } from 'wouter';
import type { Mapping } from '@/api/types';
import { CommandLine } from '@/ui/CommandLine';
import { documentOfMapping } from './mappingDraft';

const CodeEditor = lazy(() => import('@/ui/CodeEditor').then((m) => ({ default: m.CodeEditor })));

/** A mapping with a sequence or a choice of answers: to be read here, and changed as a document. */
export function ManyAnswers({ service, mapping }: { service: string; mapping: Mapping }) {
  const several = mapping.sequence ? 'gives answers in turn' : 'chooses among answers';
  return (
    <div className="flex h-full min-h-0 flex-col gap-3 px-5 py-3">
      <h1 className="text-base">
        <Link href={`/services/${encodeURIComponent(service)}`} className="text-accent hover:underline">
          {service}
        </Link>
        <span className="text-dim"> / </span>
        <span className="font-semibold">{mapping.id}</span>
      </h1>
      <p className="text-[13px] text-dim">
        This mapping {several}. Take it as a document, change it, and put it back; it is live on the next
        call.
      </p>
      <CommandLine command={`rapidmimic mapping show ${service} ${mapping.id} > ${mapping.id}.yaml`} />
      <CommandLine command={`rapidmimic mapping put ${service} -f ${mapping.id}.yaml`} />
      <Suspense fallback={<p className="text-dim">Opening it …</p>}>
        <CodeEditor label="The mapping" language="json" value={documentOfMapping(mapping, 2)} />
      </Suspense>
    </div>
  );
}
