import { Link } from 'wouter';
import { useMyLane } from '@/api/myLane';
import type { Operation, Service } from '@/api/types';
import { editorOf, ownerText } from '@/features/mappings';
import { count } from '@/lib/format';
import { statusText } from '@/lib/statusText';
import { SourceMark } from '@/ui/SourceMark';
import { AnswerLine } from './AnswerLine';
import { ExampleChoice } from './ExampleChoice';

interface Props {
  service: Service;
  operation: Operation;
  pulse?: number[];
}

/** An operation of the contract, with what answers it now. */
export function OperationLine({ service, operation, pulse }: Props) {
  const base = `/services/${encodeURIComponent(service.name)}`;
  const mapped = operation.mappedBy?.[0];
  const link = mapped
    ? editorOf(service.name, mapped, operation.mappedOrigin)
    : `${base}/mappings?${new URLSearchParams({ operation: operation.id })}`;
  const name = operation.byMessage ? operation.id : operation.path;
  return (
    <AnswerLine
      data-operation={operation.id}
      method={operation.byMessage ? operation.protocol.toUpperCase() : operation.method}
      call={
        operation.skipped ? (
          name
        ) : (
          <Link href={`${base}/docs/${encodeURIComponent(operation.id)}`} className="hover:underline">
            {name}
          </Link>
        )
      }
      what={
        <span className="text-dim">
          {operation.deprecated && <span className="text-miss">deprecated </span>}
          {operation.summary || operation.id}
        </span>
      }
      answer={<Answer service={service} operation={operation} mapped={mapped} />}
      pulse={pulse}
      calls={<CallCounts base={base} operation={operation} />}
      action={
        !operation.skipped && (
          <Link
            href={link}
            aria-label={`${mapped ? 'Edit the mapping' : 'Change the answer'} of ${operation.id}`}
            className="font-medium text-accent hover:underline"
          >
            {mapped ? 'Edit' : 'Change'}
          </Link>
        )
      }
    />
  );
}

/** How often an operation was called, and how often against the contract. */
function CallCounts({ base, operation }: { base: string; operation: Operation }) {
  const calls = operation.calls;
  if (!calls) return null;
  const find = (words: string) =>
    `${base}/calls?${new URLSearchParams({ text: `operation:${operation.id}${words}` })}`;
  return (
    <>
      {calls.deviating > 0 && (
        <Link href={find(' deviates')} className="text-miss hover:underline">
          {calls.deviating.toLocaleString('en')} deviate
        </Link>
      )}{' '}
      <Link href={find('')} className="text-dim hover:underline">
        {count(calls.total, 'call')}
      </Link>
    </>
  );
}

interface AnswerProps {
  service: Service;
  operation: Operation;
  mapped?: string;
}

function Answer({ service, operation, mapped }: AnswerProps) {
  const mine = useMyLane();
  if (operation.skipped)
    return (
      <span className="truncate text-miss" title={operation.skipped}>
        does not answer: {operation.skipped}
      </span>
    );
  if (mapped) {
    return (
      <>
        <SourceMark source="mapping" /> <span className="truncate">{mapped}</span>{' '}
        <span className="text-dim">{ownerText(operation.mappedOrigin, mine)}</span>
      </>
    );
  }
  const status = operation.status ?? 200;
  const bodies = { none: 'no body', generated: 'generated data', example: 'its example' };
  const owner = ownerText(operation.exampleOrigin, mine);
  const chosenForAll = !owner && operation.body !== 'generated'; // else the service gives no examples
  const choice = (operation.examples?.length ?? 0) > 1 && (mine !== '' || chosenForAll) && !operation.memory;
  const body = operation.memory
    ? `from memory: ${operation.memory}`
    : choice
      ? ''
      : operation.example
        ? `example “${operation.example}” ${owner}`
        : bodies[operation.body ?? 'none'];
  const pins = operation.pins ? `, ${count(operation.pins.length, 'field')} pinned` : '';
  const told = `${status} ${statusText(status)}${body && `, ${body}`}${pins}`;
  return (
    <>
      <SourceMark source="contract" />
      <span className={choice ? 'whitespace-nowrap' : 'truncate'} title={told}>
        {told}
      </span>
      {operation.pinFaults && (
        <span className="truncate text-miss" title={operation.pinFaults.join('; ')}>
          {count(operation.pinFaults.length, 'pin')} at fault: {operation.pinFaults[0]}
        </span>
      )}
      {choice && <ExampleChoice service={service} operation={operation} />}
    </>
  );
}
