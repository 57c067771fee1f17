import { useMemo } from 'react';
import { sideBySide } from '@/lib/sideBySide';
import { cn } from './cn';

interface Props {
  before: string;
  after: string;
  /** What stands over the two sides. */
  titles: [string, string];
}

/** Two texts side by side, with the lines in which they differ marked. */
export function DiffView({ before, after, titles }: Props) {
  const rows = useMemo(() => sideBySide(before, after), [before, after]);
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
          {rows.map(({ key, left, right }) => (
            <tr key={key} className="align-top">
              <Side text={left} other={right} mark="−" className="bg-bad-soft" />
              <Side text={right} other={left} mark="+" className="border-line border-l bg-good-soft" />
            </tr>
          ))}
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
