import { useSyncExternalStore } from 'react';

const query = '(max-width: 899px)';

function subscribe(listener: () => void) {
  const list = matchMedia(query);
  list.addEventListener('change', listener);
  return () => list.removeEventListener('change', listener);
}

/** Whether the window is too small for tables in full, or a usual one at twice the size. */
export const useSmallWindow = () => useSyncExternalStore(subscribe, () => matchMedia(query).matches);
