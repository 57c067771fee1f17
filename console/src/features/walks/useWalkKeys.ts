import { useLayoutEffect } from 'react';

interface Keys {
  next(): void;
  back(): void;
  say(verdict: string): void;
}

/** The keys of a walk: n p f d. Typing in a field is left alone. */
export function useWalkKeys({ next, back, say }: Keys) {
  useLayoutEffect(() => {
    const acts: Record<string, () => void> = {
      n: next,
      p: back,
      f: () => say('fine'),
      d: () => say('defect'),
    };
    const onKey = (event: KeyboardEvent) => {
      const typing =
        event.target instanceof HTMLElement && event.target.closest('input, textarea, select, [role=dialog]');
      if (typing || event.ctrlKey || event.metaKey || event.altKey) return;
      const act = acts[event.key];
      if (act) {
        act();
        event.preventDefault();
      }
    };
    addEventListener('keydown', onKey);
    return () => removeEventListener('keydown', onKey);
  });
}
