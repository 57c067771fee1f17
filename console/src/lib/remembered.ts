/** A text that this browser remembers, as components follow it with useSyncExternalStore. */
export function remembered(key: string) {
  const listeners = new Set<() => void>();
  return {
    get: () => localStorage.getItem(key) ?? '',
    set(text: string) {
      localStorage.setItem(key, text.trim());
      for (const listener of listeners) listener();
    },
    subscribe(listener: () => void) {
      listeners.add(listener);
      return () => {
        listeners.delete(listener);
      };
    },
  };
}
