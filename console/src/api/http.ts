import { shortDigests } from '@/lib/digests';
import { parseExact } from '@/lib/exactJson';
import { author } from './author';
import { asked, authorization } from './token';
import type { Entry, Fault, Me, ProblemDocument } from './types';

/** What the service said is wrong, or that it did not answer. */
export class Problem extends Error {
  readonly code: string;
  readonly faults: Fault[];
  readonly current: unknown;
  /** What would help, for those who know how: the service that a hint is about. */
  readonly hint?: ProblemDocument['hint'];

  constructor(document: Pick<ProblemDocument, 'code' | 'detail' | 'errors' | 'current' | 'hint'>) {
    super(document.detail);
    this.code = document.code;
    this.faults = document.errors ?? [];
    this.current = document.current;
    this.hint = document.hint;
  }
}

/** What is wrong in one text: the places that the service names, else what it says. */
export function wrongIn(error: Error): string {
  const faults = error instanceof Problem ? error.faults : [];
  return faults.length ? faults.map(({ detail }) => detail).join('; ') : error.message;
}

export interface Send {
  method?: 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE';
  body?: BodyInit;
  /** The version that it is written on, or notThere; '' for any. */
  ifMatch?: string;
  /** Keep the digits of numbers, for what is written back later. */
  exact?: boolean;
  /** It goes on when the page is closed. */
  keepalive?: boolean;
  /** The body is a JSON Patch (RFC 6902), not a merge patch. */
  jsonPatch?: boolean;
  /** It asks something and changes nothing, whatever its method: what was written last stays that. */
  asks?: boolean;
}

/** In place of a version: what is made must not be there yet. */
export const notThere = 'not there';

/** Whether a write was refused because what is kept is not what it was written on. */
export function isStale(error: unknown): error is Problem {
  return error instanceof Problem && error.code === 'stale';
}

/** The event on the window after what was written is kept. */
export const changeMade = 'rapid-mimic-change';

let entryMade = '';

/** The entry of the activity that the last write made, '' for none: its undo takes it back. */
export function lastEntry(): string {
  return entryMade;
}

/** Takes an entry of the activity back. */
export function undoEntry(id: string) {
  return send<Entry>(`/activity/${part(id)}/undo`, { method: 'POST' });
}

/** Sends a request to the control API and returns the JSON of its answer. */
export async function send<T>(path: string, request: Send = {}): Promise<T> {
  const response = await ask(path, request, {});
  if (response.status === 204) return undefined as T;
  if (request.exact) return parseExact(await response.text()) as T;
  return path.startsWith('/calls') ? JSON.parse(shortDigests(await response.text())) : response.json();
}

/** Reads a definition as the YAML document that people would write. */
export async function readDocument(path: string): Promise<string> {
  const response = await ask(path, {}, { Accept: 'application/yaml' });
  return withoutETag(await response.text());
}

/** A document as it is kept, and its version. */
export interface Kept {
  text: string;
  etag: string;
}

/** Reads a definition as a document that is to be edited. */
export async function readKept(path: string): Promise<Kept> {
  const response = await ask(path, {}, { Accept: 'application/yaml' });
  return { text: withoutETag(await response.text()), etag: response.headers.get('ETag') ?? '' };
}

/** A document without the version in it, which is kept beside the draft. */
const withoutETag = (text: string) => text.replace(/^etag: .*\n?/m, '');

async function ask(
  path: string,
  { method = 'GET', body, ifMatch, jsonPatch, keepalive, asks = method === 'GET' }: Send,
  headers: Record<string, string>,
) {
  if (jsonPatch) headers['Content-Type'] = 'application/json-patch+json';
  if (ifMatch === notThere) headers['If-None-Match'] = '*';
  else if (ifMatch) headers['If-Match'] = ifMatch;
  Object.assign(headers, authorization());
  if (method !== 'GET' && author.get()) headers['Rapid-Mimic-By'] = encodeURIComponent(author.get());
  const response = await fetch(`/api/v1${path}`, { method, body, headers, keepalive }).catch(() => {
    throw new Problem({ code: 'unreachable', detail: 'Rapid Mimic does not answer. Is it still running?' });
  });
  if (!asks && !path.startsWith('/presence')) {
    entryMade = response.headers.get('Rapid-Mimic-Activity') ?? '';
    if (entryMade) dispatchEvent(new Event(changeMade));
  }
  if (response.ok) return response;
  if (response.status === 401 && headers.Authorization === authorization().Authorization) asked.set(true);
  const document = await response.json().catch(() => null);
  throw new Problem(
    document?.code ? document : { code: 'internal', detail: `the answer was ${response.status}` },
  );
}

/** Says who the holder of a token is, and that they are in; a token that does not hold is an error. */
export async function logIn(secret: string): Promise<Me> {
  const response = await fetch('/api/v1/logins', {
    method: 'POST',
    headers: { Authorization: `Bearer ${secret}` },
  });
  const answer = await response.json();
  if (!response.ok) throw new Problem(answer);
  return answer;
}

/** Saves what an address below the API gives as a file. */
export async function download(path: string, name: string) {
  const response = await ask(path, {}, {});
  const link = document.createElement('a');
  link.href = URL.createObjectURL(await response.blob());
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 60_000);
}

/** A part of an API path, escaped. */
export const part = encodeURIComponent;
