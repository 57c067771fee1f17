import { useEffect, useState } from 'react';

/** A value once it has not changed for a while; compared by what it says. */
export function useSettled<T>(value: T, milliseconds: number): T {
  const [settled, setSettled] = useState(value);
  const key = JSON.stringify(value);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(JSON.parse(key) as T), milliseconds);
    return () => clearTimeout(timer);
  }, [key, milliseconds]);
  return settled;
}
