import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { wrongIn } from '@/api/http';
import { useMyLane } from '@/api/myLane';
import { operationList } from '@/api/operations';
import type { ImpairmentDocument } from '@/api/types';
import { Button } from '@/ui/Button';
import { CommandLine } from '@/ui/CommandLine';
import { Field, inputLook } from '@/ui/Field';
import { notify } from '@/ui/Notices';
import {
  beginnings,
  commandOf,
  documentOf,
  draftOf,
  type ImpairmentDraft,
  noImpairment,
  othersOf,
  othersText,
  withOthers,
} from './impairmentDraft';
import { lineList, setImpairment } from './queries';
import { useRefresh } from './useRefresh';

interface Props {
  service: string;
  /** What is on for the whole service. */
  current?: ImpairmentDocument;
}

/** Makes a service, or one operation of it, slow or fail. */
export function ImpairmentForm({ service, current }: Props) {
  const refresh = useRefresh();
  const lane = useMyLane();
  const { data: operations } = useQuery(operationList(service));
  const { data: lines } = useQuery(lineList());
  const [draft, setDraft] = useState(current ? draftOf(current) : noImpairment);
  const [operation, setOperation] = useState('');
  const [others, setOthers] = useState(current ? othersOf(current) : {});
  const change = (part: Partial<ImpairmentDraft>) => setDraft({ ...draft, ...part });
  const beginWith = (start: ImpairmentDraft) => {
    setDraft(start);
    setOthers({});
  };
  // what is on for the whole service is no beginning for an operation of it
  const kept = operation ? {} : others;
  const document = withOthers(documentOf(draft), kept);
  const unseen = othersText(kept);
  const empty = Object.keys(document).filter((key) => key !== 'seed').length === 0;
  const set = useMutation({
    mutationFn: () => setImpairment({ service, ...(operation ? { operation } : {}) }, document, lane),
    onSuccess: async (made) => {
      await refresh();
      notify(`On from the next call: ${made.text}`);
    },
  });
  const text = (
    key: keyof ImpairmentDraft,
    label: string,
    placeholder: string,
    className: string,
    hint?: string,
  ) => (
    <Field
      label={label}
      placeholder={placeholder}
      hint={hint}
      value={draft[key]}
      onChange={(event) => change({ [key]: event.target.value })}
      className={`font-mono ${className}`}
    />
  );
  const choice = (key: keyof ImpairmentDraft, label: string, none: string, options: string[]) => (
    <Choice
      label={label}
      none={none}
      options={options}
      value={draft[key]}
      onChange={(value) => change({ [key]: value })}
    />
  );
  return (
    <form
      className="space-y-3"
      onSubmit={(event) => {
        event.preventDefault();
        if (!empty) set.mutate();
      }}
    >
      <p className="flex flex-wrap items-center gap-2 text-[13px]">
        <span className="text-dim">Begin with</span>
        {beginnings.map(({ word, draft: start }) => (
          <Button key={word} onClick={() => beginWith({ ...noImpairment, ...start })}>
            {word}
          </Button>
        ))}
        <Button look="bare" onClick={() => beginWith(noImpairment)}>
          Clear
        </Button>
      </p>
      <div className="flex flex-wrap items-start gap-3">
        <Choice
          label="For"
          none="The whole service"
          options={operations?.items.map(({ id }) => id) ?? []}
          value={operation}
          onChange={setOperation}
        />
        {text('latency', 'Latency', '200ms..900ms', 'w-44', 'Or 250ms, or p50=80ms,p99=900ms')}
        {text('errors', 'Errors', '30%', 'w-20')}
        {text('status', 'With status', '503, 429', 'w-28')}
        {text('retryAfter', 'Retry after', '5s', 'w-20')}
        {text('limit', 'Limit', '60/1m', 'w-24')}
        {choice('of', 'Of', 'everyone', ['caller'])}
        {choice('effect', 'Connection', 'as it is', [
          'drop',
          'reset',
          'hang',
          'cut-body',
          'wrong-length',
          'garbage',
        ])}
        {choice('line', 'Line', 'as it is', lines?.items.flatMap(({ name }) => name ?? []) ?? [])}
        {choice('outage', 'Outage', 'none', ['503', 'drop', 'reset', 'hang'])}
        {draft.outage && text('outageFor', 'For', '20s', 'w-20')}
        {draft.outage && text('outageEvery', 'Every', '2m', 'w-20')}
        {text('seed', 'Seed', 'drawn', 'w-24')}
      </div>
      {unseen && (
        <p className="text-dim text-xs">
          Kept as it is: <span className="font-mono">{unseen}</span>
        </p>
      )}
      {set.error && (
        <p role="alert" className="text-bad text-xs">
          {wrongIn(set.error)}
        </p>
      )}
      <Button look="main" type="submit" disabled={empty || set.isPending}>
        Switch on
      </Button>
      {!empty && !unseen && <CommandLine command={commandOf(service, operation, draft, lane)} />}
    </form>
  );
}

interface ChoiceProps {
  label: string;
  none: string;
  options: string[];
  value: string;
  onChange(value: string): void;
}

function Choice({ label, none, options, value, onChange }: ChoiceProps) {
  return (
    <label className="flex flex-col gap-1 font-medium text-dim text-xs">
      {label}
      <select
        value={value}
        onChange={(event) => onChange(event.target.value)}
        className={`${inputLook} max-w-48`}
      >
        <option value="">{none}</option>
        {options.map((option) => (
          <option key={option}>{option}</option>
        ))}
      </select>
    </label>
  );
}
