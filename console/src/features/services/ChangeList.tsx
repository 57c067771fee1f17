import type { Changes } from '@/api/types';

/** What a caller notices between two revisions of a contract. */
export function ChangeList({ changes }: { changes: Changes }) {
  const { added, removed, changed } = changes;
  if (added.length + removed.length + changed.length === 0) {
    return <p className="text-dim">Nothing that a caller notices.</p>;
  }
  return (
    <ul className="max-h-72 space-y-0.5 overflow-auto">
      {added.map((operation) => (
        <Line key={operation} what="added" operation={operation} />
      ))}
      {removed.map((operation) => (
        <Line key={operation} what="removed" operation={operation} />
      ))}
      {changed.map(({ operation, differences }) => (
        <li key={operation}>
          <Line what="changed" operation={operation} />
          <ul className="mb-1 ml-[84px] text-dim">
            {differences.map((d) => (
              <li key={`${d.where} ${d.what}`}>
                {d.where}: {d.what}
                {d.what === 'changed' && d.before && `, ${d.before} to ${d.after}`}
              </li>
            ))}
          </ul>
        </li>
      ))}
    </ul>
  );
}

function Line({ what, operation }: { what: string; operation: string }) {
  return (
    <span className="flex gap-3">
      <span className="w-[72px] shrink-0 font-medium">{what}</span>
      <code className="text-xs leading-5">{operation}</code>
    </span>
  );
}
