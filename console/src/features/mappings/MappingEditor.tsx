import { Link, useLocation } from 'wouter';
import { notThere } from '@/api/http';
import { useMyLane } from '@/api/myLane';
import type { Trial } from '@/api/types';
import { StartWalk } from '@/features/walks';
import { word } from '@/lib/shell';
import { Button } from '@/ui/Button';
import { CommandLine } from '@/ui/CommandLine';
import { ViewSwitch } from '@/ui/ViewSwitch';
import { AnswersForm } from './AnswersForm';
import { jsonFault } from './answerDraft';
import { CallForm } from './CallForm';
import { ChangesDialog } from './ChangesDialog';
import { DeviationNotice } from './DeviationNotice';
import { DocumentForm } from './DocumentForm';
import type { MappingDraft } from './mappingDraft';
import { RecentCalls } from './RecentCalls';
import { SaveInLane } from './SaveInLane';
import { SaveProblem } from './SaveProblem';
import { SequencePositions } from './SequencePositions';
import { useCallKnown } from './useCallKnown';
import { type Editing, useMappingEditing } from './useMappingEditing';
import { pageOf, type SavedMapping, useSaveMapping } from './useSaveMapping';
import { type ShownVersions, VersionsDialog } from './VersionsDialog';

interface Props {
  service: string;
  /** None for a new one. */
  saved?: SavedMapping;
  /** What the form starts with; none for a mapping that it cannot show. */
  start?: MappingDraft;
  /** None for a new one. */
  versions?: ShownVersions;
}

/** Whether the answer is a document, as it is stored, whose fields can be varied. */
const canVary = ({ dirty, draft: { mode, answers } }: Editing) =>
  !dirty && mode === 'one' && answers[0]?.kind === 'json' && jsonFault(answers[0].body) === '';

/** The latest call that a mapping would answer, else the latest that came. */
const likeIn = (trial?: Trial) => (trial?.calls.find(({ answers }) => answers) ?? trial?.calls[0])?.id ?? '';

/** A mapping as a form or as its document, and what it would do with recent calls. */
export function MappingEditor({ service, saved, start, versions }: Props) {
  const mapping = saved?.mapping;
  const mine = useMyLane();
  const [, navigate] = useLocation();
  const lane = saved?.lane;
  const editing = useMappingEditing({ service, saved, start });
  const { save, remove } = useSaveMapping(service, saved);
  const { trial } = editing;
  const store = (etag: string, over?: string) =>
    save.mutate({ id: editing.id, document: editing.document, etag, over });
  const mayPress = editing.maySave && !save.isPending;
  const like = editing.call || trial.data?.valuesOf || likeIn(trial.data);
  const known = useCallKnown(trial.data, like);
  const deviations = trial.data?.deviations ?? (trial.data ? undefined : mapping?.deviations);
  return (
    <form
      className="flex h-full min-h-0 flex-col"
      onSubmit={(event) => {
        event.preventDefault();
        if (mayPress) store(mapping ? editing.version : notThere);
      }}
    >
      <div className="flex flex-wrap items-center justify-between gap-3 border-line border-b px-5 py-2">
        <h1 className="min-w-0 truncate text-base">
          <Link href={`/services/${encodeURIComponent(service)}`} className="text-accent hover:underline">
            {service}
          </Link>
          <span className="text-dim"> / </span>
          <span className="font-semibold">{mapping ? mapping.id : 'New mapping'}</span>
          {lane && <span className="text-dim"> only in lane {lane}</span>}
        </h1>
        <div className="flex flex-wrap items-center gap-2">
          <ViewSwitch
            view={editing.view}
            onChange={(view) => (view === 'form' ? editing.toForm() : editing.toDocument())}
          />
          {mapping && !lane && canVary(editing) && (
            <StartWalk
              service={service}
              of={{ mapping: mapping.id }}
              body={editing.draft.answers[0]?.body ?? ''}
            />
          )}
          {mapping && !lane && versions && <VersionsDialog service={service} id={mapping.id} {...versions} />}
          {saved && editing.dirty && (
            <ChangesDialog before={saved.text} after={trial.data?.yaml} onDiscard={editing.discard} />
          )}
          {mapping && (
            <Button look="danger" onClick={() => remove.mutate()} disabled={remove.isPending}>
              {lane ? `Take out of lane ${lane}` : 'Remove'}
            </Button>
          )}
          {mine && !lane && (
            <SaveInLane
              lane={mine}
              service={service}
              id={editing.id}
              document={editing.document}
              disabled={!editing.maySave && editing.dirty}
            />
          )}
          <Button look="main" type="submit" disabled={!mayPress}>
            {lane ? `Save in lane ${lane}` : mapping ? 'Save' : 'Save the new mapping'}
          </Button>
        </div>
      </div>
      {editing.restored && (
        <p
          role="status"
          className="flex items-center gap-3 border-line border-b bg-sunken px-5 py-1.5 text-[13px]"
        >
          This is what you were writing before the page was left. It is not saved.
          <Button className="h-6" onClick={editing.discard}>
            Begin anew
          </Button>
        </p>
      )}
      {save.isError && (
        <SaveProblem
          service={service}
          lane={lane ?? ''}
          error={save.error}
          mine={trial.data?.yaml ?? ''}
          retry={store}
          leave={(id) => (mapping ? location.reload() : navigate(pageOf(service, id)))}
        />
      )}
      {deviations && deviations.length > 0 && <DeviationNotice deviations={deviations} />}
      {mapping?.positions && <SequencePositions service={service} mapping={mapping} />}
      {editing.view === 'form' ? (
        <div className="grid min-h-0 flex-1 overflow-y-auto md:grid-cols-[minmax(340px,2fr)_minmax(0,4fr)] md:overflow-hidden">
          <section className="space-y-4 px-5 py-3 md:overflow-y-auto md:border-line md:border-r">
            <h2 className="font-semibold text-[15px]">When a call looks like this</h2>
            <CallForm
              draft={editing.draft}
              faults={editing.faults}
              change={editing.change}
              isNew={!mapping}
              trial={trial.data}
              like={like}
            />
            {mapping && (
              <CommandLine
                command={`rapidmimic mapping show ${word(service)} ${word(mapping.id)}${lane ? ` --lane ${word(lane)}` : ''}`}
              />
            )}
          </section>
          <section className="flex min-h-0 flex-col gap-3 px-5 py-3 md:overflow-y-auto">
            <h2 className="font-semibold text-[15px]">give this answer</h2>
            <AnswersForm
              service={service}
              draft={editing.draft}
              faults={editing.faults}
              change={editing.change}
              known={known}
            />
          </section>
        </div>
      ) : (
        <DocumentForm editing={editing} known={known} />
      )}
      <RecentCalls trial={trial} large={editing.large} chosen={editing.call} choose={editing.chooseCall} />
    </form>
  );
}
