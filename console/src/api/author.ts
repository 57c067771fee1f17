const key = 'rapid-mimic.author';
const listeners = new Set<() => void>();

/** The name under which changes made in this browser are kept. */
export const author = {
  get: () => localStorage.getItem(key) ?? '',
  set(name: string) {
    localStorage.setItem(key, name.trim());
    for (const listener of listeners) listener();
  },
  subscribe(listener: () => void) {
    listeners.add(listener);
    return () => {
      listeners.delete(listener);
    };
  },
};
