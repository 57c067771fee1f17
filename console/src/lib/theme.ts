import { useSyncExternalStore } from 'react';

export type Theme = 'light' | 'dark';

const changed = 'rapid-mimic-theme';

export function currentTheme(): Theme {
  return document.documentElement.dataset.theme === 'dark' ? 'dark' : 'light';
}

/** Switches the theme and keeps the choice; theme.js reads it at the start. */
export function setTheme(theme: Theme) {
  document.documentElement.dataset.theme = theme;
  localStorage.setItem('theme', theme);
  dispatchEvent(new Event(changed));
}

export function useTheme(): Theme {
  return useSyncExternalStore(subscribe, currentTheme);
}

function subscribe(listener: () => void) {
  addEventListener(changed, listener);
  return () => removeEventListener(changed, listener);
}
