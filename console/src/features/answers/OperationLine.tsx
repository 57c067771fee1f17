import { useQuery } from '@tanstack/react-query';
import { Link } from 'wouter';
import { useMyLane, useView } from '@/api/myLane';
import { operationList } from '@/api/operations';
import type { Operation, Service } from '@/api/types';
import { editorOf, ownerText } from '@/features/mappings';
import { count } from '@/lib/format';
import { statusText } from '@/lib/statusText';
import { Awaited } from '@/ui/Awaited';
import { Button } from '@/ui/Button';
import { SourceMark } from '@/ui/SourceMark';
import { ExampleChoice } from './ExampleChoice';

const cell = 'px-3 py-1.5 align-middle first:pl-5 last:pr-5';

/** The operations of the contract, each with what answers it now. */
export function OperationTable({ service }: { service: Service }) {
  const query = useQuery({ ...operationList(service.name, useView()), refetchInterval: 5_000 });
  if (!service.contract) {
    return (
      <p className="px-5 text-dim">
        This service has no contract. Drop an OpenAPI document on this page, or answer by mappings alone.
      </p>
    );
  }
  return (
    <Awaited query={query} what="the operations">
      {({ items }) => (
        <table className="w-full border-line border-t text-[13px]">
          <thead className="sr-only">
            <tr>
              <th>Call</th>
              <th>What it does</th>
              <th>Answers</th>
              <th>Calls</th>
              <th>Change</th>
            </tr>
          </thead>
          <tbody>
            {items.map((operation) => (
              <OperationRow key={operation.id} service={service} operation={operation} />
            ))}
          </tbody>
        </table>
      )}
    </Awaited>
  );
}

function OperationRow({ service, operation }: { service: Service; operation: Operation }) {
  const mapped = operation.mappedBy?.[0];
  const link = mapped
    ? editorOf(service.name, mapped, operation.mappedOrigin)
    : `/services/${encodeURIComponent(service.name)}/mappings?${new URLSearchParams({ operation: operation.id })}`;
  return (
    <tr className="border-line border-b bg-panel" data-operation={operation.id}>
      <td className={`${cell} font-mono text-xs`}>
        <span className="inline-block w-[52px]">
          {operation.byMessage ? operation.protocol.toUpperCase() : operation.method}
        </span>{' '}
        {operation.skipped ? (
          operation.path
        ) : (
          <Link
            href={`/services/${encodeURIComponent(service.name)}/docs/${encodeURIComponent(operation.id)}`}
            className="hover:underline"
          >
            {operation.byMessage ? operation.id : operation.path}
          </Link>
        )}
      </td>
      <td className={`${cell} text-dim`}>
        {operation.deprecated && <span className="text-miss">deprecated </span>}
        {operation.summary}
      </td>
      <td className={cell}>
        <AnswerOf service={service} operation={operation} mapped={mapped} />
      </td>
      <td className={`${cell} whitespace-nowrap text-right text-xs`}>
        <CallCounts service={service.name} operation={operation} />
      </td>
      <td className={`${cell} w-px text-right`}>
        {!operation.skipped && (
          <Link href={link} asChild>
            <Button className="h-7">{mapped ? 'Edit the mapping' : 'Change the answer'}</Button>
          </Link>
        )}
      </td>
    </tr>
  );
}

/** How often an operation was called, and how often against the contract. */
function CallCounts({ service, operation }: { service: string; operation: Operation }) {
  const calls = operation.calls;
  if (!calls) return null;
  const find = `/calls?${new URLSearchParams({ text: `/${service}/ operation:${operation.id}` })}`;
  return (
    <>
      <Link href={find} className="text-dim hover:underline">
        {count(calls.total, 'call')}
      </Link>
      {calls.deviating > 0 && (
        <Link href={`${find}+deviates`} className="ml-2 text-miss hover:underline">
          {calls.deviating} deviate
        </Link>
      )}
    </>
  );
}

interface AnswerProps {
  service: Service;
  operation: Operation;
  mapped?: string;
}

function AnswerOf({ service, operation, mapped }: AnswerProps) {
  const mine = useMyLane();
  if (operation.skipped) return <span className="text-miss">does not answer: {operation.skipped}</span>;
  if (mapped) {
    return (
      <span className="flex flex-wrap items-center gap-x-2">
        <SourceMark source="mapping" /> {mapped}{' '}
        <span className="text-dim">{ownerText(operation.mappedOrigin, mine)}</span>
      </span>
    );
  }
  const status = operation.status ?? 200;
  const bodies = { none: 'no body', generated: 'generated data', example: 'its example' };
  const owner = ownerText(operation.exampleOrigin, mine);
  const choice = (operation.examples?.length ?? 0) > 1 && (mine !== '' || !owner);
  const body = operation.memory
    ? `from memory: ${operation.memory}`
    : choice
      ? ''
      : operation.example
        ? `example “${operation.example}” ${owner}`
        : bodies[operation.body ?? 'none'];
  return (
    <span className="flex flex-wrap items-center gap-x-2">
      <SourceMark source="contract" />
      <span>
        {status} {statusText(status)}
        {body && `, ${body}`}
        {operation.pins && `, ${count(operation.pins.length, 'field')} pinned`}
        {operation.pinFaults && (
          <span className="text-miss" title={operation.pinFaults.join('; ')}>
            {' '}
            {count(operation.pinFaults.length, 'pin')} at fault: {operation.pinFaults[0]}
          </span>
        )}
      </span>
      {choice && !operation.memory && <ExampleChoice service={service} operation={operation} />}
    </span>
  );
}
