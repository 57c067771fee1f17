import { type RefObject, useLayoutEffect } from 'react';
import type { Call } from '@/api/types';
import { sameEndpoint } from './sameEndpoint';

interface Keys {
  calls: Call[];
  selected?: string;
  filter: RefObject<HTMLInputElement | null>;
  select(id: string): void;
  close(): void;
  togglePause(): void;
  makeMapping(call: Call): void;
  toggleWide(): void;
}

/** The keys of the page: / j k J K p m w Escape. Typing in a field is left alone. */
export function useCallKeys(keys: Keys) {
  useLayoutEffect(() => {
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
  { calls, selected, filter, select, close, togglePause, makeMapping, toggleWide }: Keys,
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
    case 'J':
    case 'K': {
      const like = current && alike(calls, at, current, key === 'J' ? 1 : -1);
      if (like) select(like.id);
      return true;
    }
    case 'w':
      if (current) toggleWide();
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

/** The next call in a direction that asks the same. */
function alike(calls: Call[], at: number, current: Call, step: number): Call | undefined {
  for (let i = at + step; calls[i]; i += step) {
    const call = calls[i];
    if (call && sameEndpoint(call, current)) return call;
  }
  return undefined;
}
