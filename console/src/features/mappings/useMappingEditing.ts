import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useMemo, useState } from 'react';
import { useSearchParams } from 'wouter';
import type { MappingDocument } from '@/api/types';
import { expressionsIn } from '@/lib/expressions';
import { useSettled } from '@/lib/useSettled';
import { notify } from '@/ui/Notices';
import { draftId, keepDraft, keptDraft, mostKept } from './keptDraft';
import {
  beyondForm,
  documentOf,
  draftOf,
  emptyDraft,
  faultsOf,
  idOf,
  isSound,
  type MappingDraft,
  sameDraft,
  sizeOf,
} from './mappingDraft';
import { trialOf } from './queries';
import type { SavedMapping } from './useSaveMapping';

interface Start {
  service: string;
  saved?: SavedMapping;
  start?: MappingDraft;
}

/** Those of a document are the service's to find. */
const noFaults = { answers: [] };

export type Editing = ReturnType<typeof useMappingEditing>;

/** One mapping being written, as a form or as a document: two views of one thing. */
export function useMappingEditing({ service, saved, start }: Start) {
  const queries = useQueryClient();
  const [params, setParams] = useSearchParams();
  const id = draftId(saved);
  const now = saved?.mapping.etag ?? ['from', 'operation', 'where'].map((name) => params.get(name)).join();
  const [kept] = useState(() => keptDraft(service, id, now));
  const [restored, setRestored] = useState(kept !== undefined);
  const [version, setVersion] = useState(kept?.version ?? now);
  const [draft, setDraft] = useState(kept?.draft ?? start ?? emptyDraft());
  const [text, setText] = useState(kept?.text ?? saved?.text ?? '');
  const [call, setCall] = useState(params.get('from') ?? '');
  const asDocument = !start || (params.get('view') === 'document' && text !== '');
  const faults = asDocument ? noFaults : faultsOf(draft);
  const sound = isSound(faults);
  const document = asDocument ? text : sound ? documentOf(draft) : '';
  const expressions = useMemo(() => expressionsOf(asDocument ? text : draft), [asDocument, text, draft]);
  const question = { document, replaces: saved && !saved.lane ? saved.mapping.id : '', call, expressions };
  const settled = useSettled(question, 350);
  const large = document.length > largeDocument;
  const trial = useQuery({
    ...trialOf(service, settled),
    enabled: settled.document !== '' && settled.document.length <= largeDocument,
    refetchInterval: 5_000,
    placeholderData: (before) => before,
  });
  const changed = (start && isDirty(draft, start)) || text !== (saved?.text ?? '');
  const keeps = changed && sizeOf(draft) + text.length < mostKept;
  const begun = useSettled(keeps ? { draft, text, version } : null, 500);
  useEffect(() => keepDraft(service, id, begun ?? undefined), [service, id, begun]);
  const current = settled.document === document && !trial.isFetching;
  const ask = () => queries.fetchQuery(trialOf(service, question));
  const setView = (view: 'form' | 'document') =>
    setParams(
      (now) => {
        if (view === 'form') now.delete('view');
        else now.set('view', view);
        return now;
      },
      { replace: true },
    );

  return {
    view: asDocument ? ('document' as const) : ('form' as const),
    draft,
    faults,
    text,
    setText,
    document,
    call,
    chooseCall: setCall,
    trial,
    /** What the service finds wrong with the document as it stands. */
    marks: asDocument && current ? (trial.data?.faults ?? []) : [],
    id: saved?.mapping.id ?? (asDocument ? trial.data?.mapping?.id : draft.id || idOf(draft)) ?? '',
    change: (part: Partial<MappingDraft>) => setDraft((now) => ({ ...now, ...part })),
    dirty: asDocument ? text !== saved?.text : !saved || isDirty(draft, start),
    /** Too large to be tried while it is typed. */
    large,
    maySave:
      sound &&
      document !== '' &&
      (asDocument
        ? text !== saved?.text && (large || (current && trial.data?.faults.length === 0))
        : !saved || isDirty(draft, start)),
    /** It is what was being written when the page was left. */
    restored,
    /** The version that it was begun on, which it is saved over. */
    version,
    discard() {
      setRestored(false);
      setVersion(now);
      setDraft(start ?? emptyDraft());
      setText(saved?.text ?? '');
    },
    /** Shows the form as a document. */
    async toDocument() {
      const { yaml, faults: wrong } = await ask();
      if (yaml === undefined) {
        notify(`Not yet: ${wrong[0]?.detail}`);
        return;
      }
      setText(saved && !isDirty(draft, start) ? saved.text : yaml);
      setView('document');
    },
    /** Shows the document as a form, where one can show it. */
    async toForm() {
      const { mapping, faults: wrong } = await ask();
      if (!mapping) notify(`The form cannot show it yet: ${wrong[0]?.detail}`);
      else if (beyondForm(mapping)) notify(beyondForm(mapping));
      else {
        setDraft(draftOf(mapping as MappingDocument));
        setView('form');
      }
    },
  };
}

/** How many expressions are worked out at most. */
const mostExpressions = 50;

/** The expressions of a mapping, each once. */
function expressionsOf(of: MappingDraft | string): string[] {
  const texts =
    typeof of === 'string'
      ? [of]
      : of.answers.flatMap(
          ({ if: condition, body, redirect, faultText, headers, names, remembered, callbacks }) => [
            condition.trim() && `\${${condition}}`,
            body,
            redirect,
            faultText,
            callbacks,
            ...[...headers, ...names, ...remembered].map(({ value }) => value),
            ...remembered.map(({ name }) => name),
          ],
        );
  const all = texts.flatMap((text) => (text.length > largeDocument ? [] : expressionsIn(text)));
  return [...new Set(all.map(({ expression }) => expression))].slice(0, mostExpressions);
}

/** From this length on a document is not tried while it is typed. */
const largeDocument = 200_000;

function isDirty(draft: MappingDraft, start?: MappingDraft): boolean {
  return !start || !sameDraft(draft, start);
}
