import { Link } from 'wouter';
import { count } from '@/lib/format';
import { SourceMark } from '@/ui/SourceMark';
import { AnswerLine } from './AnswerLine';
import type { CallGroup } from './groups';

/** What was asked for but missing, with the way to an answer. */
export function MissingLine({ service, group }: { service: string; group: CallGroup }) {
  const base = `/services/${encodeURIComponent(service)}`;
  const calls = new URLSearchParams({ text: `source:miss ${group.path}`, call: group.last.id });
  return (
    <AnswerLine
      data-missing={`${group.method} ${group.path}`}
      method={group.method}
      call={<span title={group.path}>{group.path}</span>}
      what={<span className="text-dim">differs in {group.last.by}</span>}
      answer={<SourceMark source="miss" />}
      calls={
        <Link href={`${base}/calls?${calls}`} className="text-dim hover:underline">
          {count(group.count, 'call')}
        </Link>
      }
      action={
        <Link
          href={`${base}/mappings?${new URLSearchParams({ from: group.last.id })}`}
          aria-label={`Make a mapping for ${group.method} ${group.path}`}
          className="font-medium text-accent hover:underline"
        >
          Answer it
        </Link>
      }
    />
  );
}
