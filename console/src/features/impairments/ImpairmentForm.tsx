import { useMutation, useQuery } from '@tanstack/react-query';
import { lazy, Suspense, useState } from 'react';
import { isStale, notThere, Problem } from '@/api/http';
import { useMyLane } from '@/api/myLane';
import { operationList } from '@/api/operations';
import type { ImpairmentItem } from '@/api/types';
import { Button } from '@/ui/Button';
import { CommandLine } from '@/ui/CommandLine';
import { Conflict } from '@/ui/Conflict';
import { Field, inputLook } from '@/ui/Field';
import { notifyChange } from '@/ui/Notices';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { type View, ViewSwitch } from '@/ui/ViewSwitch';
import {
  beginnings,
  commandOf,
  type Fields,
  fieldsOf,
  isEmpty,
  othersOf,
  textOf,
  withField,
  withFields,
} from './impairmentDraft';
import { lineList, setImpairment } from './queries';
import { useRefresh } from './useRefresh';

const CodeEditor = lazy(() => import('@/ui/CodeEditor').then((m) => ({ default: m.CodeEditor })));

interface Props {
  service: string;
  /** What is on for the service and its parts. */
  items: ImpairmentItem[];
}

/** Makes a service, or one operation of it, slow or fail: one document, as a form or as text. */
export function ImpairmentForm({ service, items }: Props) {
  const { data: operations } = useQuery(operationList(service));
  const [operation, setOperation] = useState('');
  const current = items.find(
    ({ target, own, origin }) =>
      target.service === service &&
      (target.operation ?? '') === operation &&
      !target.mapping &&
      !own &&
      !origin?.startsWith('scenario'),
  );
  return (
    <div className="space-y-3">
      <Choice
        label="For"
        none="The whole service"
        options={operations?.items.map(({ id }) => id) ?? []}
        value={operation}
        onChange={setOperation}
      />
      <Editing key={operation} service={service} operation={operation} current={current} />
    </div>
  );
}

interface EditingProps {
  service: string;
  operation: string;
  /** What is on for them. */
  current?: ImpairmentItem;
}

function Editing({ service, operation, current }: EditingProps) {
  const refresh = useRefresh();
  const lane = useMyLane();
  const [view, setView] = useState<View>('form');
  const [base, setBase] = useState(current);
  const [text, setText] = useState(() => textOf(current?.impairment));
  const [typed, setTyped] = useState<Partial<Fields>>({}); // in fields, as it was typed
  const take = (item?: ImpairmentItem) => {
    setBase(item);
    setText(textOf(item?.impairment));
    setTyped({});
  };
  const kept = textOf(base?.impairment);
  // a colleague's change shows where it takes nothing away
  if (current?.etag !== base?.etag && (text === kept || textOf(current?.impairment) === kept)) {
    if (text === kept) take(current);
    else setBase(current);
  }
  const set = useMutation({
    mutationFn: (over?: string) =>
      setImpairment(
        { service, ...(operation ? { operation } : {}) },
        text,
        lane,
        over ?? base?.etag ?? notThere,
      ),
    onSuccess: async (made) => {
      notifyChange(`On from the next call: ${made.text}`);
      take(made);
      await refresh();
    },
    onError: (error) => isStale(error) && refresh(),
  });
  const change = (next: string, fields: Partial<Fields> = {}) => {
    setText(next);
    setTyped(fields);
    set.reset();
  };
  const empty = isEmpty(text);
  const faults = faultsOf(set.error);
  return (
    <form
      className="space-y-3"
      onSubmit={(event) => {
        event.preventDefault();
        if (!empty) set.mutate(undefined);
      }}
    >
      <div className="flex flex-wrap items-center justify-between gap-2 text-[13px]">
        <p className="flex flex-wrap items-center gap-2">
          <span className="text-dim">Begin with</span>
          {beginnings.map(({ word, fields }) => (
            <Button key={word} onClick={() => change(withFields('', fields))}>
              {word}
            </Button>
          ))}
          <Button look="bare" onClick={() => change('')}>
            Clear
          </Button>
        </p>
        <ViewSwitch view={view} onChange={setView} />
      </div>
      {view === 'form' ? (
        <FieldsForm
          text={text}
          typed={typed}
          onChange={(field, value) => change(withField(text, field, value), { ...typed, [field]: value })}
        />
      ) : (
        <div className="flex h-52 flex-col">
          <Suspense fallback={<p className="text-dim">Opening the editor …</p>}>
            <CodeEditor
              label="Document of the impairment"
              language="yaml"
              value={text}
              onChange={change}
              marks={faults}
            />
          </Suspense>
        </div>
      )}
      {isStale(set.error) ? (
        <Conflict
          message={`Nothing was switched on: ${set.error.message}.`}
          theirs={textOf(current?.impairment)}
          mine={text}
          onMine={() => set.mutate(current?.etag ?? notThere)}
          onTheirs={() => {
            take(current);
            set.reset();
          }}
        />
      ) : (
        set.error && (
          <ProblemNotice
            message="Nothing was switched on."
            places={view === 'form' ? faults.map(({ at, detail }) => ({ at, detail })) : faults}
          />
        )
      )}
      <Button look="main" type="submit" disabled={empty || set.isPending}>
        Switch on
      </Button>
      {!empty && <CommandLine command={commandOf(service, operation, text, lane)} />}
    </form>
  );
}

function faultsOf(error: Error | null) {
  if (!error) return [];
  return error instanceof Problem && error.faults.length > 0 ? error.faults : [{ detail: error.message }];
}

interface FieldsFormProps {
  text: string;
  typed: Partial<Fields>;
  onChange(field: keyof Fields, value: string): void;
}

function FieldsForm({ text, typed, onChange }: FieldsFormProps) {
  const { data: lines } = useQuery(lineList());
  const read = fieldsOf(text);
  if (!read)
    return <p className="text-dim text-[13px]">A form cannot show this document. Edit it as text.</p>;
  const fields = { ...read, ...typed };
  const others = othersOf(text);
  const field = (key: keyof Fields, label: string, placeholder: string, className: string, hint?: string) => (
    <Field
      label={label}
      placeholder={placeholder}
      hint={hint}
      value={fields[key]}
      onChange={(event) => onChange(key, event.target.value)}
      className={`font-mono ${className}`}
    />
  );
  const choice = (key: keyof Fields, label: string, none: string, options: string[]) => (
    <Choice
      label={label}
      none={none}
      options={fields[key] && !options.includes(fields[key]) ? [...options, fields[key]] : options}
      value={fields[key]}
      onChange={(value) => onChange(key, value)}
    />
  );
  return (
    <>
      <div className="flex flex-wrap items-start gap-3">
        {field('latency', 'Latency', '200ms..900ms', 'w-44', 'Or 250ms, p50=80ms,p99=900ms, or recorded')}
        {field('errors', 'Errors', '30%', 'w-24', 'Or next 3, every 5, first 2')}
        {field('status', 'With status', '503, 429', 'w-28')}
        {field('retryAfter', 'Retry after', '5s', 'w-20')}
        {field('limit', 'Limit', '60/1m', 'w-24')}
        {field('inFlight', 'At once', '5', 'w-20')}
        {choice('of', 'Of', 'everyone', ['caller'])}
        {choice('effect', 'Connection', 'as it is', [
          'drop',
          'reset',
          'hang',
          'cut-body',
          'wrong-length',
          'garbage',
        ])}
        {fields.effect && field('effectRate', 'Of the calls', '100%', 'w-20')}
        {choice('line', 'Line', 'as it is', lines?.items.flatMap(({ name }) => name ?? []) ?? [])}
        {choice('outage', 'Outage', 'none', ['503', 'drop', 'reset', 'hang'])}
        {fields.outage && field('outageFor', 'For', '20s', 'w-20')}
        {fields.outage && field('outageEvery', 'Every', '2m', 'w-20')}
        {field('seed', 'Seed', 'drawn', 'w-24')}
      </div>
      {others.length > 0 && (
        <p className="text-dim text-xs">
          The document says more, which stays as it is: <span className="font-mono">{others.join(', ')}</span>
        </p>
      )}
    </>
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
