import { type RefObject, useEffect } from 'react';
import type { Call } from '@/api/types';

interface Keys {
  calls: Call[];
  selected?: string;
  filter: RefObject<HTMLInputElement | null>;
  select(id: string): void;
  close(): void;
  togglePause(): void;
  makeMapping(call: Call): void;
}

/** The keys of the page: / j k p m Escape. Typing in a field is left alone. */
export function useCallKeys(keys: Keys) {
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const typing =
        event.target instanceof HTMLElement && event.target.closest('input, textarea, [role=dialog]');
      if (typing || event.ctrlKey || event.metaKey || event.altKey) return;
      if (act(event.key, keys)) event.preventDefault();
    };
    addEventListener('keydown', onKey);
    return () => removeEventListener('keydown', onKey);
  });
}

function act(
  key: string,
  { calls, selected, filter, select, close, togglePause, makeMapping }: Keys,
): boolean {
  const at = calls.findIndex((call) => call.id === selected);
  const step = key === 'j' ? 1 : -1;
  const next = calls[at < 0 ? 0 : at + step];
  const current = calls[at];
  switch (key) {
    case '/':
      filter.current?.focus();
      return true;
    case 'j':
    case 'k':
      if (next) select(next.id);
      return true;
    case 'p':
      togglePause();
      return true;
    case 'm':
      if (current?.service) makeMapping(current);
      return true;
    case 'Escape':
      close();
      return true;
    default:
      return false;
  }
}
