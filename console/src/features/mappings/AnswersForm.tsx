import { ArrowDown, ArrowUp, Plus, X } from 'lucide-react';
import { useState } from 'react';
import { statusText } from '@/lib/statusText';
import { Button } from '@/ui/Button';
import { cn } from '@/ui/cn';
import type { CallKnown } from '@/ui/expressionHelp';
import { Field } from '@/ui/Field';
import { Select } from '@/ui/Select';
import { TextArea } from '@/ui/TextArea';
import { AnswerForm } from './AnswerForm';
import { type AnswerDraft, emptyAnswer, originOf } from './answerDraft';
import type { Faults, MappingDraft, Mode } from './mappingDraft';

interface Props {
  service: string;
  draft: MappingDraft;
  faults: Faults;
  change(part: Partial<MappingDraft>): void;
  /** The call that it is written for. */
  known: CallKnown;
}

const modes: [Mode, string][] = [
  ['one', 'One answer'],
  ['sequence', 'Several, in turn'],
  ['choose', 'The first whose condition holds'],
];

/** What a mapping answers: one answer, or several as cards. */
export function AnswersForm({ service, draft, faults, change, known }: Props) {
  const { answers, mode } = draft;
  const [open, setOpen] = useState(answers[0]?.key);
  const several = mode !== 'one';
  const put = (at: number, part: Partial<AnswerDraft>) =>
    change({ answers: answers.map((answer, i) => (i === at ? { ...answer, ...part } : answer)) });
  const move = (at: number, to: number) => {
    const next = answers.filter((_, i) => i !== at);
    next.splice(to, 0, answers[at] as AnswerDraft);
    change({ answers: next });
  };
  const add = () => {
    const answer = emptyAnswer();
    // the one that is given otherwise stays the last
    const at = mode === 'choose' && answers.at(-1)?.if === '' ? answers.length - 1 : answers.length;
    change({ answers: [...answers.slice(0, at), answer, ...answers.slice(at)] });
    setOpen(answer.key);
  };
  return (
    <>
      <div className="flex flex-wrap items-end gap-3">
        <Select
          quiet
          label="How it answers"
          value={mode}
          onChange={(next) => change({ mode: next as Mode })}
          options={modes}
        />
        {mode === 'sequence' && <SequenceFields draft={draft} change={change} />}
        {!several && answers.length > 1 && (
          <p role="status" className="pb-1.5 text-[13px] text-miss">
            Only the first of {answers.length} answers is saved; the others come back with another choice
            here.
          </p>
        )}
      </div>
      {several ? (
        <ol className="space-y-2" aria-label="Answers">
          {answers.map((answer, i) => (
            <li key={answer.key} className="rounded border border-line bg-panel" data-answer={i + 1}>
              <CardHead
                answer={answer}
                at={i}
                count={answers.length}
                mode={mode}
                faulty={Object.keys(faults.answers[i] ?? {}).length > 0}
                holds={holds(answer, known)}
                open={answer.key === open}
                onOpen={() => setOpen(answer.key === open ? undefined : answer.key)}
                onMove={(to) => move(i, to)}
                onRemove={() => change({ answers: answers.filter((_, other) => other !== i) })}
              />
              {answer.key === open && (
                <div className="flex flex-col gap-3 border-line border-t p-3">
                  {mode === 'choose' && (
                    <Field
                      label="Given if"
                      hint={
                        i === answers.length - 1
                          ? 'An expression that must be true; empty: whenever no other one is given'
                          : 'An expression that must be true: call.body.nights > 7'
                      }
                      fault={faults.answers[i]?.if}
                      value={answer.if}
                      onChange={(event) => put(i, { if: event.target.value })}
                      className="font-mono"
                    />
                  )}
                  <AnswerForm
                    service={service}
                    draft={answer}
                    faults={faults.answers[i] ?? {}}
                    change={(part) => put(i, part)}
                    known={known}
                    asked={draft}
                  />
                </div>
              )}
            </li>
          ))}
          <li>
            <Button look="bare" onClick={add}>
              <Plus size={14} aria-hidden />
              Answer
            </Button>
          </li>
        </ol>
      ) : (
        answers[0] && (
          <AnswerForm
            service={service}
            draft={answers[0]}
            faults={faults.answers[0] ?? {}}
            change={(part) => put(0, part)}
            known={known}
            asked={draft}
          />
        )
      )}
      <FlowFields draft={draft} fault={faults.flow} change={change} />
      <details open={draft.impair !== ''} className="text-[13px]">
        <summary className="cursor-pointer">Slow or failing, whenever it answers</summary>
        <TextArea
          label="Impairment, in JSON"
          hint={'Such as {"latency": "250ms"} or {"errors": {"rate": "30%"}}; empty for none'}
          fault={faults.impair}
          value={draft.impair}
          rows={2}
          onChange={(impair) => change({ impair })}
        />
      </details>
    </>
  );
}

/** Whether the condition of a choice holds for the chosen call; undefined where nobody knows. */
function holds({ if: condition }: AnswerDraft, { values }: CallKnown): boolean | undefined {
  const value = values?.get(condition.trim())?.value;
  return value === 'true' ? true : value === 'false' ? false : undefined;
}

/** The move of a flow that the mapping is: in which states it answers, and what comes then. */
function FlowFields({ draft, fault, change }: Pick<Props, 'draft' | 'change'> & { fault?: string }) {
  const { flow, flowOf, flowWhen, flowThen } = draft;
  return (
    <details open={flow + flowOf + flowWhen + flowThen !== ''} className="text-[13px]">
      <summary className="cursor-pointer">
        A move of a flow: it answers in some states, and leads to another
      </summary>
      <div className="mt-2 flex flex-wrap items-start gap-3">
        <Field
          label="Flow"
          hint="Its name; empty for none"
          fault={fault}
          value={flow}
          onChange={(event) => change({ flow: event.target.value })}
          className="w-36"
        />
        <Field
          label="What has states"
          hint="${call.path.number}; empty: one thing"
          value={flowOf}
          onChange={(event) => change({ flowOf: event.target.value })}
          className="w-52 font-mono"
        />
        <Field
          label="Answers in the states"
          hint="start at first; empty: in any"
          value={flowWhen}
          onChange={(event) => change({ flowWhen: event.target.value })}
          className="w-44"
        />
        <Field
          label="State afterwards"
          hint="Empty: the same"
          value={flowThen}
          onChange={(event) => change({ flowThen: event.target.value })}
          className="w-36"
        />
      </div>
    </details>
  );
}

/** What comes after the last answer of a sequence, and whose calls it counts. */
function SequenceFields({ draft, change }: Pick<Props, 'draft' | 'change'>) {
  return (
    <>
      <Select
        label="After the last one"
        value={draft.after || 'repeat-last'}
        onChange={(after) => change({ after: after as MappingDraft['after'] })}
        options={[
          ['repeat-last', 'it comes again'],
          ['start-over', 'the first one comes again'],
          ['pass', 'others may answer'],
        ]}
      />
      <Select
        label="Counted"
        value={draft.per || 'everyone'}
        onChange={(per) => change({ per: per as MappingDraft['per'] })}
        options={[
          ['everyone', 'over all callers'],
          ['caller', 'for each caller'],
        ]}
      />
    </>
  );
}

interface CardHeadProps {
  answer: AnswerDraft;
  at: number;
  count: number;
  mode: Mode;
  faulty: boolean;
  holds?: boolean;
  open: boolean;
  onOpen(): void;
  onMove(to: number): void;
  onRemove(): void;
}

/** One line of an answer: which it is, what it says, and where it goes. */
function CardHead({ answer, at, count, mode, faulty, holds, open, onOpen, onMove, onRemove }: CardHeadProps) {
  const name = `answer ${at + 1}`;
  const first = answer.body.replace(/\s+/g, ' ').slice(0, 80);
  return (
    <div className="flex items-center gap-1 px-2 py-1 text-[13px]">
      <button
        type="button"
        aria-expanded={open}
        onClick={onOpen}
        className="flex min-w-0 flex-1 items-baseline gap-3 rounded px-1 py-0.5 text-left hover:bg-sunken"
      >
        <span className="font-medium tabular-nums">{at + 1}</span>
        <span className="shrink-0">
          {originOf(answer) || `${answer.status} ${statusText(Number(answer.status))}`}
        </span>
        {mode === 'choose' && (
          <code className="min-w-0 truncate text-xs">{answer.if ? `if ${answer.if}` : 'otherwise'}</code>
        )}
        {holds !== undefined && (
          <span className={cn('shrink-0 text-xs', holds ? 'text-good' : 'text-dim')}>
            {holds ? 'holds' : 'does not hold'}
          </span>
        )}
        {!open && <code className="min-w-0 truncate text-dim text-xs">{first}</code>}
        {faulty && <span className="shrink-0 font-medium text-bad text-xs">not usable yet</span>}
      </button>
      <Button
        look="bare"
        className="h-6 px-1"
        aria-label={`Move ${name} up`}
        disabled={at === 0}
        onClick={() => onMove(at - 1)}
      >
        <ArrowUp size={14} aria-hidden />
      </Button>
      <Button
        look="bare"
        className="h-6 px-1"
        aria-label={`Move ${name} down`}
        disabled={at === count - 1}
        onClick={() => onMove(at + 1)}
      >
        <ArrowDown size={14} aria-hidden />
      </Button>
      <Button
        look="bare"
        className="h-6 px-1"
        aria-label={`Take ${name} out`}
        disabled={count === 1}
        onClick={onRemove}
      >
        <X size={14} aria-hidden />
      </Button>
    </div>
  );
}
