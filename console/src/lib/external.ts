/** A value outside React that components follow with useSyncExternalStore. */
export interface External<T> {
  get(): T;
  set(value: T): void;
  subscribe(listener: () => void): () => void;
}

export function external<T>(initial: T): External<T> {
  let value = initial;
  const listeners = new Set<() => void>();
  return {
    get: () => value,
    set(next) {
      value = next;
      for (const listener of listeners) listener();
    },
    subscribe(listener) {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
  };
}
