import { startTransition, useEffect, useRef, useState } from 'react';

/**
 * A value that changes at most so often, in milliseconds, whatever the given one does: for what takes long to draw.
 * The last one always comes.
 */
export function useEvery<T>(value: T, ms: number): T {
  const [kept, setKept] = useState(value);
  const latest = useRef(value);
  const shownAt = useRef(0);
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  latest.current = value;
  useEffect(() => {
    if (value === kept || timer.current !== undefined) return;
    const left = ms - (performance.now() - shownAt.current);
    timer.current = setTimeout(
      () => {
        timer.current = undefined;
        shownAt.current = performance.now();
        startTransition(() => setKept(latest.current));
      },
      Math.max(0, left),
    );
  }, [value, kept, ms]);
  useEffect(() => () => clearTimeout(timer.current), []);
  return kept;
}
