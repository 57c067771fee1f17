import { Link } from 'wouter';
import type { CallDetail } from '@/api/types';
import { StartWalk } from '@/features/walks';
import type { BodyField } from '@/ui/BodyView';
import { canVary } from './canVary';
import { conditionOfField, queryOfField } from './fieldQuery';
import { PinField } from './PinField';

interface Props {
  call: CallDetail;
  of: 'request' | 'answer';
  field: BodyField;
}

const look = 'rounded border border-line bg-panel px-2 py-0.5 font-medium text-xs hover:bg-sunken';

/** What can be done with a field of a call. */
export function FieldActions({ call, of, field }: Props) {
  const query = queryOfField(field);
  const condition =
    of === 'request' && call.source !== 'callback' && call.service ? conditionOfField(field) : '';
  const json = field.notation === 'json';
  const pinned = of === 'answer' && call.source === 'contract' && call.operation && json && field.pointer;
  return (
    <span className="flex flex-wrap gap-1">
      {query && (
        <Link href={`/calls?${new URLSearchParams({ text: query })}`} className={look}>
          Find in other calls
        </Link>
      )}
      {condition && (
        <Link
          href={`/services/${encodeURIComponent(call.service)}/mappings?${new URLSearchParams({ from: call.id, where: condition })}`}
          className={look}
        >
          Make a condition of it
        </Link>
      )}
      {pinned && (
        <PinField
          service={call.service}
          operation={call.operation ?? ''}
          pointer={field.pointer}
          value={field.value ?? ''}
          look={look}
        />
      )}
      {of === 'answer' && json && canVary(call) && (
        <StartWalk
          service={call.service}
          of={{ call: call.id }}
          body={call.answer.body}
          at={field.path}
          look={look}
        />
      )}
    </span>
  );
}
