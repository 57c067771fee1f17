import { Search } from 'lucide-react';
import { type KeyboardEvent, type RefObject, useId, useMemo, useState } from 'react';
import { cn } from '@/ui/cn';
import { inputLook } from '@/ui/Field';
import { feed } from './callFeed';
import { suggestionsFor } from './filterSuggestions';

interface Props {
  text: string;
  onChange(text: string): void;
  input: RefObject<HTMLInputElement | null>;
}

/** The filter of calls, which offers what can be typed next. */
export function FilterField({ text, onChange, input }: Props) {
  const list = useId();
  const [open, setOpen] = useState(false);
  const [at, setAt] = useState(-1);
  const offered = useMemo(() => (open ? suggestionsFor(text, feed.get().calls) : []), [open, text]);
  const shown = open && offered.length > 0;
  const take = (i: number) => {
    const one = offered[i];
    if (!one) return;
    onChange(one.text);
    setAt(-1);
    setOpen(one.word.endsWith(':'));
    input.current?.focus();
  };
  const onKey = (event: KeyboardEvent) => {
    if (event.key === 'Escape') {
      setOpen(false);
      event.stopPropagation();
    }
    if (!shown) {
      if (event.key === 'ArrowDown') setOpen(true);
      return;
    }
    if (event.key === 'ArrowDown') setAt((at + 1) % offered.length);
    else if (event.key === 'ArrowUp') setAt((at <= 0 ? offered.length : at) - 1);
    else if (event.key === 'Enter' && at >= 0) take(at);
    else if (event.key === 'Tab' && at >= 0) take(at);
    else return;
    event.preventDefault();
  };
  return (
    <div className="relative max-w-[560px] flex-1">
      <label className="sr-only" htmlFor={`${list}-input`}>
        Filter calls
      </label>
      <Search size={14} aria-hidden className="absolute top-2 left-2.5 text-dim" />
      <input
        ref={input}
        id={`${list}-input`}
        role="combobox"
        aria-expanded={shown}
        aria-controls={list}
        aria-autocomplete="list"
        aria-activedescendant={at >= 0 && shown ? `${list}-${at}` : undefined}
        type="search"
        autoComplete="off"
        value={text}
        onChange={(event) => {
          onChange(event.target.value);
          setOpen(true);
          setAt(-1);
        }}
        onKeyDown={onKey}
        onClick={() => setOpen(true)}
        onBlur={() => setOpen(false)}
        placeholder="Filter: words, -word, or, status:5xx, took:>200ms, host:x, body:N7 …"
        className={`${inputLook} w-full pl-8`}
      />
      {shown && (
        <div
          id={list}
          role="listbox"
          aria-label="What can be typed next"
          className="absolute top-9 left-0 z-20 max-h-80 w-full overflow-y-auto rounded border border-line bg-panel py-1 text-[13px] shadow-lg"
        >
          {offered.map((one, i) => (
            <div
              key={one.word}
              id={`${list}-${i}`}
              role="option"
              tabIndex={-1}
              aria-selected={i === at}
              onPointerDown={(event) => {
                event.preventDefault(); // the field keeps the focus
                take(i);
              }}
              className={cn('flex cursor-pointer gap-3 px-3 py-1 hover:bg-sunken', i === at && 'bg-sunken')}
            >
              <span className="min-w-24 font-mono text-xs leading-5">{one.word}</span>
              <span className="truncate text-dim">{one.means}</span>
            </div>
          ))}
        </div>
      )}
    </div>
  );
}
