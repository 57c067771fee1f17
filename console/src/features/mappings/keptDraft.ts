import { headerLine, type MappingDraft } from './mappingDraft';

/** What was being written when the page was left. */
export interface Kept {
  draft: MappingDraft;
  text: string;
}

/** From this size on a draft is not kept: the browser has little room. */
export const mostKept = 500_000;

/** What a draft is kept under: the id of its mapping, and its lane; '' of a new one. */
export const draftId = (saved?: { mapping: { id: string }; lane?: string }) =>
  saved ? `${saved.mapping.id}${saved.lane ? ` in lane ${saved.lane}` : ''}` : '';

const keyOf = (service: string, id: string) => `draft of ${service} ${id}`;

/** The draft of a mapping, or with '' of a new one, that was begun on this version of it in this tab; undefined for none. */
export function keptDraft(service: string, id: string, version: string): Kept | undefined {
  try {
    const kept = JSON.parse(sessionStorage.getItem(keyOf(service, id)) ?? 'null');
    if (kept?.version !== version) return undefined;
    const headers = (kept.draft as MappingDraft).headers.map(({ name, value }) => headerLine(name, value));
    return { text: kept.text, draft: { ...kept.draft, headers } };
  } catch {
    return undefined;
  }
}

/** Keeps a draft over a reload; without one there is none any more. */
export function keepDraft(service: string, id: string, version: string, kept?: Kept) {
  const text = kept && JSON.stringify({ ...kept, version });
  try {
    if (text && text.length < mostKept) sessionStorage.setItem(keyOf(service, id), text);
    else sessionStorage.removeItem(keyOf(service, id));
  } catch {
    // the browser keeps nothing, or is full: the draft goes with the page
  }
}
