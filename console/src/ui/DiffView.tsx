import { useMemo } from 'react';
import { aroundChanges, sideBySide } from '@/lib/sideBySide';
import { cn } from './cn';

interface Props {
  before: string;
  after: string;
  /** What stands over the two sides. */
  titles: [string, string];
}

/** Two texts side by side, with the lines in which they differ marked. */
export function DiffView({ before, after, titles }: Props) {
  const rows = useMemo(() => aroundChanges(sideBySide(before, after)), [before, after]);
  return (
    <div className="overflow-auto rounded border border-line">
      <table className="w-full table-fixed border-collapse font-mono text-xs">
        <thead>
          <tr className="bg-sunken text-left font-sans">
            <th className="w-1/2 px-2.5 py-1.5 font-medium">{titles[0]}</th>
            <th className="w-1/2 border-line border-l px-2.5 py-1.5 font-medium">{titles[1]}</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row) =>
            'alike' in row ? (
              <tr key={row.key}>
                <td colSpan={2} className="bg-sunken px-2.5 py-0.5 text-center font-sans text-dim">
                  {row.alike} lines alike
                </td>
              </tr>
            ) : (
              <tr key={row.key} className="align-top">
                <Side text={row.left} other={row.right} mark="−" className="bg-bad-soft" />
                <Side
                  text={row.right}
                  other={row.left}
                  mark="+"
                  className="border-line border-l bg-good-soft"
                />
              </tr>
            ),
          )}
        </tbody>
      </table>
    </div>
  );
}

function Side({
  text,
  other,
  mark,
  className,
}: {
  text?: string;
  other?: string;
  mark: string;
  className: string;
}) {
  const differs = text !== other;
  return (
    <td
      className={cn(
        'whitespace-pre-wrap break-words px-2.5',
        className,
        !(differs && text !== undefined) && 'bg-transparent',
        text === undefined && 'bg-sunken',
      )}
    >
      {text !== undefined && (
        <>
          <span aria-hidden className="mr-1.5 select-none text-dim">
            {differs ? mark : ' '}
          </span>
          {text || ' '}
        </>
      )}
    </td>
  );
}
