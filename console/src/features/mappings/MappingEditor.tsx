import { useState } from 'react';
import { Link } from 'wouter';
import type { Mapping } from '@/api/types';
import { Button } from '@/ui/Button';
import { CommandLine } from '@/ui/CommandLine';
import { AnswerForm } from './AnswerForm';
import { CallForm } from './CallForm';
import { DeviationNotice } from './DeviationNotice';
import { faultsOf, type MappingDraft } from './mappingDraft';
import { SaveProblem } from './SaveProblem';
import { useSaveMapping } from './useSaveMapping';

interface Props {
  service: string;
  /** The mapping as it is kept; none for a new one. */
  saved?: Mapping;
  start: MappingDraft;
}

/** Left what a call looks like, right what it is answered with. */
export function MappingEditor({ service, saved, start }: Props) {
  const [draft, setDraft] = useState(start);
  const change = (part: Partial<MappingDraft>) => setDraft((now) => ({ ...now, ...part }));
  const faults = faultsOf(draft);
  const { save, remove } = useSaveMapping(service, saved);
  const dirty = !saved || JSON.stringify(draft) !== JSON.stringify(start);
  const mayPress = Object.keys(faults).length === 0 && dirty && !save.isPending;
  return (
    <form
      className="flex h-full min-h-0 flex-col"
      onSubmit={(event) => {
        event.preventDefault();
        if (mayPress) save.mutate({ draft, etag: saved?.etag ?? '' });
      }}
    >
      <div className="flex flex-wrap items-center justify-between gap-3 border-line border-b px-5 py-2.5">
        <h1 className="min-w-0 truncate text-base">
          <Link href={`/services/${encodeURIComponent(service)}`} className="text-accent hover:underline">
            {service}
          </Link>
          <span className="text-dim"> / </span>
          <span className="font-semibold">{saved ? saved.id : 'New mapping'}</span>
        </h1>
        <div className="flex items-center gap-2">
          {saved && (
            <Button look="danger" onClick={() => remove.mutate()} disabled={remove.isPending}>
              Remove
            </Button>
          )}
          {saved && dirty && <Button onClick={() => setDraft(start)}>Discard changes</Button>}
          <Button look="main" type="submit" disabled={!mayPress}>
            {saved ? 'Save' : 'Save the new mapping'}
          </Button>
        </div>
      </div>
      {save.isError && <SaveProblem error={save.error} retry={(etag) => save.mutate({ draft, etag })} />}
      {saved?.deviations && saved.deviations.length > 0 && <DeviationNotice deviations={saved.deviations} />}
      <div className="grid min-h-0 flex-1 overflow-y-auto md:grid-cols-[minmax(280px,2fr)_minmax(0,5fr)] md:overflow-hidden">
        <section className="space-y-4 px-5 py-4 md:overflow-y-auto md:border-line md:border-r">
          <h2 className="font-semibold text-[15px]">When a call looks like this</h2>
          <CallForm draft={draft} faults={faults} change={change} isNew={!saved} />
          {saved && <CommandLine command={`rapidmimic mapping show ${service} ${saved.id}`} />}
        </section>
        <section className="flex min-h-0 flex-col gap-4 px-5 py-4">
          <h2 className="font-semibold text-[15px]">give this answer</h2>
          <AnswerForm draft={draft} faults={faults} change={change} />
        </section>
      </div>
    </form>
  );
}
