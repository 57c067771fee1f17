import type { Changes } from '@/api/types';

/** What a caller notices between two revisions of a contract. */
export function ChangeList({ changes }: { changes: Changes }) {
  const { added, removed, changed, effects } = changes;
  if (added.length + removed.length + changed.length === 0) {
    return <p className="text-dim">Nothing that a caller notices.</p>;
  }
  return (
    <>
      <p className="mb-1 text-[13px]">
        <span className={effects.breaking > 0 ? 'font-medium text-miss' : 'text-dim'}>
          {effects.breaking} breaking
        </span>
        <span className="text-dim">
          , {effects.unknown} that may break, {effects.compatible} compatible
        </span>
      </p>
      <ul className="max-h-72 space-y-0.5 overflow-auto">
        {added.map((operation) => (
          <Line key={operation} what="added" operation={operation} />
        ))}
        {removed.map((operation) => (
          <Line key={operation} what="removed" operation={operation} effect="breaking" />
        ))}
        {changed.map(({ operation, effect, differences }) => (
          <li key={operation}>
            <Line what="changed" operation={operation} effect={effect} />
            <ul className="mb-1 ml-[84px] text-dim">
              {differences.map((d) => (
                <li key={`${d.where} ${d.what}`}>
                  {d.where}: {d.what}
                  {d.what === 'changed' && d.before && `, ${d.before} to ${d.after}`}
                  {d.effect !== effect && ` (${words[d.effect]})`}
                </li>
              ))}
            </ul>
          </li>
        ))}
      </ul>
    </>
  );
}

type Effect = Changes['changed'][number]['effect'];

const words: Record<Effect, string> = {
  breaking: 'breaking',
  unknown: 'may break',
  compatible: 'compatible',
};

function Line({ what, operation, effect }: { what: string; operation: string; effect?: Effect }) {
  return (
    <span className="flex gap-3">
      <span className="w-[72px] shrink-0 font-medium">{what}</span>
      <code className="text-xs leading-5">{operation}</code>
      {effect && (
        <span
          className={effect === 'breaking' ? 'text-miss text-xs leading-5' : 'text-dim text-xs leading-5'}
        >
          {words[effect]}
        </span>
      )}
    </span>
  );
}
