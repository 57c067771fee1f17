import { external } from '@/lib/external';

const place = 'rapid-mimic.token';

/** The token of this tab, '' for none: it is kept for the session alone, and sent as a header. */
export const token = external(readKept());

/** Whether the environment asks for a token that we do not have. */
export const asked = external(false);

function readKept(): string {
  try {
    return sessionStorage.getItem(place) ?? '';
  } catch {
    return ''; // a browser that keeps nothing
  }
}

export function keepToken(secret: string) {
  try {
    if (secret) sessionStorage.setItem(place, secret);
    else sessionStorage.removeItem(place);
  } catch {
    // then it is kept until the page is left
  }
  token.set(secret);
  asked.set(false);
}

/** What a request says of who makes it. */
export function authorization(): Record<string, string> {
  const secret = token.get();
  return secret ? { Authorization: `Bearer ${secret}` } : {};
}
