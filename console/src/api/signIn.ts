import { Problem } from './http';
import { keepToken } from './token';
import type { NewToken, SignIn } from './types';

const place = 'rapid-mimic.tab';

/** At which provider people sign in, '' for none. */
export async function signInAt(): Promise<string> {
  const answer = await fetch('/api/v1/sign-in');
  const { issuer = '' }: SignIn = answer.ok ? await answer.json() : {};
  return issuer;
}

/** Goes to the provider. What this tab alone knows keeps others from coming back in its place. */
export async function signIn() {
  const tab = crypto.randomUUID();
  sessionStorage.setItem(place, tab);
  location.href = `/sign-in?tab=${await digestOf(tab)}`;
}

async function digestOf(text: string): Promise<string> {
  const sum = await crypto.subtle.digest('SHA-256', new TextEncoder().encode(text));
  return [...new Uint8Array(sum)].map((byte) => byte.toString(16).padStart(2, '0')).join('');
}

/** What the provider sent this tab back with: it is let in, or told why not; '' for nothing. */
export async function comeBack(): Promise<string> {
  const back = new URLSearchParams(location.hash.slice(1));
  const failed = back.get('sign-in-failed');
  const code = back.get('signed-in');
  if (!failed && !code) return '';
  history.replaceState(null, '', location.pathname + location.search);
  if (failed || !code) return failed ?? '';
  const tab = sessionStorage.getItem(place) ?? '';
  sessionStorage.removeItem(place);
  const response = await fetch('/api/v1/sessions', { method: 'POST', body: JSON.stringify({ code, tab }) });
  const answer = await response.json();
  if (!response.ok) return new Problem(answer).message;
  keepToken((answer as NewToken).secret);
  return '';
}
