import { TriangleAlert } from 'lucide-react';

interface Place {
  at?: string;
  line?: number;
  column?: number;
  detail: string;
}

interface Props {
  message: string;
  places?: Place[];
  children?: React.ReactNode;
}

/** Says what is wrong and where, and what can be done about it. */
export function ProblemNotice({ message, places = [], children }: Props) {
  return (
    <div role="alert" className="flex gap-2.5 rounded border border-bad/50 bg-bad-soft px-3 py-2 text-[13px]">
      <TriangleAlert size={16} aria-hidden className="mt-0.5 shrink-0 text-bad" />
      <div className="min-w-0 flex-1">
        <p className="break-words font-medium">{message}</p>
        {places.length > 0 && (
          <ul className="mt-1 space-y-0.5">
            {places.map((place) => (
              <li key={`${place.at}:${place.line}:${place.column}:${place.detail}`} className="break-words">
                {(place.line || place.at) && (
                  <span className="font-mono text-xs">
                    {place.line ? `line ${place.line}, column ${place.column}` : place.at}:{' '}
                  </span>
                )}
                {place.detail}
              </li>
            ))}
          </ul>
        )}
        {children && <div className="mt-2 flex gap-2">{children}</div>}
      </div>
    </div>
  );
}
