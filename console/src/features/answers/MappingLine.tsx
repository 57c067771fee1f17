import { Link } from 'wouter';
import { useMyLane } from '@/api/myLane';
import type { Mapping } from '@/api/types';
import { editorOf, MappingSwitch, ownerText, statusesOf } from '@/features/mappings';
import { count } from '@/lib/format';
import { statusText } from '@/lib/statusText';
import { SourceMark } from '@/ui/SourceMark';
import { AnswerLine } from './AnswerLine';

interface Props {
  service: string;
  mapping: Mapping;
  /** It stands below its operation. */
  under: boolean;
  pulse?: number[];
}

/** A mapping, with its switch. */
export function MappingLine({ service, mapping, under, pulse }: Props) {
  const owner = ownerText(mapping.origin, useMyLane());
  const { method } = mapping.call;
  const methods = Array.isArray(method) ? method.join('|') : (method ?? (mapping.call.path ? 'any' : ''));
  const call = mapping.call.path ?? `operation ${mapping.call.operation}`;
  const telling = mapping.telling?.slice(0, 4).join(' ') ?? '';
  return (
    <AnswerLine
      data-mapping={mapping.id}
      method={methods}
      under={under}
      call={
        <span title={`${call} ${telling}`}>
          {call} <span className="text-dim">{telling}</span>
        </span>
      }
      what={
        <>
          <Link
            href={editorOf(service, mapping.id, mapping.origin)}
            className="font-medium text-accent hover:underline"
          >
            {mapping.id}
          </Link>{' '}
          {owner && <span className="font-medium">{owner} </span>}
          {mapping.labels?.map((label) => (
            <span key={label} className="mr-1 rounded bg-sunken px-1.5 py-0.5 text-dim text-xs">
              {label}
            </span>
          ))}
          <span className="text-dim">{mapping.title}</span>
        </>
      }
      answer={<Answer mapping={mapping} />}
      pulse={pulse}
      calls={<span className="text-dim">{mapping.calls && count(mapping.calls.total, 'call')}</span>}
      action={<MappingSwitch service={service} mapping={mapping} />}
    />
  );
}

function Answer({ mapping }: { mapping: Mapping }) {
  const statuses = [...new Set(statusesOf(mapping))];
  return (
    <>
      <SourceMark source="mapping" className={mapping.enabled ? '' : 'opacity-60'} />
      <span className="truncate">
        {statuses.join(', ')}{' '}
        {statuses.length === 1 && <span className="text-dim">{statusText(Number(statuses[0]))}</span>}
      </span>
      {mapping.problem && (
        <span className="truncate font-medium text-miss" title={mapping.problem}>
          never answers
        </span>
      )}
      {mapping.deviations && mapping.deviations.length > 0 && (
        <span
          className="font-medium text-miss"
          title={mapping.deviations.map((d) => `${d.where}: ${d.detail}`).join('; ')}
        >
          deviates
        </span>
      )}
    </>
  );
}
