import { Plus, X } from 'lucide-react';
import { withoutWord, wordsIn } from './filterWords';

interface Props {
  text: string;
  /** Words that were switched off, to be switched on again. */
  off: string;
  onChange(text: string, off: string): void;
}

const chip =
  'flex items-center gap-1 rounded-full border border-line px-2 py-0.5 font-mono text-xs hover:bg-sunken';

/** The words of a filter, to be switched off and on one by one. */
export function FilterChips({ text, off, onChange }: Props) {
  const words = wordsIn(text);
  const away = wordsIn(off);
  if (words.length + away.length < 2 && away.length === 0) return null;
  return (
    <ul
      aria-label="Words of the filter"
      className="flex flex-wrap items-center gap-1.5 border-line border-b px-5 py-1.5"
    >
      {words.map((word, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: words repeat
        <li key={`${i} ${word}`}>
          {word.toLowerCase() === 'or' ? (
            <span className="text-dim text-xs">or</span>
          ) : (
            <button
              type="button"
              aria-pressed
              title="Switch it off"
              onClick={() => onChange(withoutWord(text, i), `${off} ${word}`.trim())}
              className={`${chip} bg-panel`}
            >
              {word} <X size={11} aria-hidden className="text-dim" />
            </button>
          )}
        </li>
      ))}
      {away.map((word, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: words repeat
        <li key={`off ${i} ${word}`}>
          <button
            type="button"
            aria-pressed={false}
            title="Switch it on again"
            onClick={() => onChange(`${text} ${word}`.trim(), withoutWord(off, i))}
            className={`${chip} border-dashed text-dim line-through`}
          >
            {word} <Plus size={11} aria-hidden />
          </button>
        </li>
      ))}
      {away.length > 0 && (
        <li>
          <button
            type="button"
            onClick={() => onChange(text, '')}
            className="px-1 text-accent text-xs hover:underline"
          >
            Forget what is off
          </button>
        </li>
      )}
    </ul>
  );
}
