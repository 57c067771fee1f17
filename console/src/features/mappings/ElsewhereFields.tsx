import { useQuery } from '@tanstack/react-query';
import { mappingList } from '@/api/mappings';
import { Field } from '@/ui/Field';
import { Select } from '@/ui/Select';
import { TextArea } from '@/ui/TextArea';
import type { AnswerDraft } from './answerDraft';

interface Props {
  service: string;
  draft: AnswerDraft;
  change(part: Partial<AnswerDraft>): void;
}

/** Where an answer comes from, and what is changed on its way. */
export function ElsewhereFields({ service, draft, change }: Props) {
  return (
    <div className="mt-1.5 space-y-3">
      {draft.kind === 'changed' && <Origin service={service} draft={draft} change={change} />}
      {draft.kind === 'upstream' && (
        <TextArea
          label="Steps that edit the request on its way there; empty for none"
          hint="JSON Patch on /method, /path, /query/NAME, /headers/NAME, /body/…"
          value={draft.send}
          rows={2}
          onChange={(send) => change({ send })}
        />
      )}
      <TextArea
        label="Merged into its JSON body; empty for nothing"
        hint={
          <>
            A member is set, null takes one out, a list replaces a list:{' '}
            <code>{'{"state": "taken", "note": "since ${original.status}"}'}</code>
          </>
        }
        value={draft.with}
        rows={draft.with ? 5 : 2}
        onChange={(merged) => change({ with: merged })}
      />
      <TextArea
        label="Steps that edit the answer then; empty for none"
        hint={
          <>
            JSON Patch on /status, /headers/NAME and /body/…:{' '}
            <code>{'[{"op": "replace", "path": "/body/state", "value": "closed"}]'}</code>
          </>
        }
        value={draft.edit}
        rows={draft.edit ? 5 : 2}
        onChange={(edit) => change({ edit })}
      />
    </div>
  );
}

/** Which answer is changed: one of the contract, or that of another mapping. */
function Origin({ service, draft, change }: Props) {
  const { data } = useQuery(mappingList(service, ''));
  const known = (data?.items ?? []).map(({ id }) => `mapping:${id}`);
  const mappings = draft.from.startsWith('mapping:') ? [...new Set([draft.from, ...known])] : known;
  return (
    <div className="flex flex-wrap items-start gap-4">
      <Select
        label="Starts from"
        value={draft.from}
        onChange={(from) => change({ from })}
        className="w-56"
        options={[
          ['', 'Choose one'],
          ['contract', 'What the contract answers'],
          ...mappings.map((from): [string, string] => [from, `Mapping ${from.slice('mapping:'.length)}`]),
        ]}
      />
      {draft.from === 'contract' && (
        <>
          <Field
            label="Example"
            hint="Its name; empty for the usual answer"
            value={draft.example}
            onChange={(event) => change({ example: event.target.value })}
            className="w-44"
          />
          <Field
            label="Of status"
            hint="Empty for the usual one"
            value={draft.ofStatus}
            onChange={(event) => change({ ofStatus: event.target.value.trim() })}
            className="w-24 font-mono"
          />
          <label className="inline-flex items-center gap-1.5 pt-6 text-[13px]">
            <input
              type="checkbox"
              checked={draft.drawn}
              onChange={(event) => change({ drawn: event.target.checked })}
            />
            Data drawn from its schema
          </label>
        </>
      )}
    </div>
  );
}
