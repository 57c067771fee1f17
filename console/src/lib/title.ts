import { useEffect } from 'react';

const product = 'Rapid Mimic';

let own = '';
let general = product;
let away = '';

function show() {
  document.title = away + (own || general);
}

/** Names the page in the browser's tab, what is most its own first: `GET /berths/N7 · calls · Rapid Mimic`. */
export function useTitle(...parts: string[]) {
  const text = titleOf(parts);
  useEffect(() => {
    own = text;
    show();
    return () => {
      if (own === text) own = '';
      show();
    };
  }, [text]);
}

/** Names pages that do not name themselves. */
export function useGeneralTitle(word: string) {
  useEffect(() => {
    general = titleOf([word]);
    show();
  }, [word]);
}

export function titleOf(parts: string[]): string {
  return [...parts.filter(Boolean), product].join(' · ');
}

/** Tells before the name of the page what happened while nobody looked; '' for nothing. */
export function tellAway(notice: string) {
  away = notice && `(${notice}) `;
  show();
}
