import { withOwnKeys } from './answerDraft';
import { emptyDraft, type MappingDraft } from './mappingDraft';

/** What was being written when the page was left. */
export interface Kept {
  draft: MappingDraft;
  text: string;
  /** The version of the mapping that it was begun on; of a new one, what it began from. */
  version: string;
}

/** From this size on a draft is not kept: the browser has little room. */
export const mostKept = 500_000;

/** What a draft is kept under: the id of its mapping, and its lane; '' of a new one. */
export const draftId = (saved?: { mapping: { id: string }; lane?: string }) =>
  saved ? `${saved.mapping.id}${saved.lane ? ` in lane ${saved.lane}` : ''}` : '';

const prefix = 'draft of ';
const keyOf = (service: string, id: string) => `${prefix}${service} ${id}`;

/**
 * The draft of a mapping that was begun in this tab; undefined for none. With '' that of a new one, which must have
 * begun from the same; a mapping may be another by now than it was.
 */
export function keptDraft(service: string, id: string, version: string): Kept | undefined {
  over.delete(keyOf(service, id));
  try {
    const kept = JSON.parse(sessionStorage.getItem(keyOf(service, id)) ?? 'null');
    if (!kept || (id === '' && kept.version !== version)) return undefined;
    const answers = (kept.draft as MappingDraft).answers.map(withOwnKeys);
    return { ...kept, draft: { ...emptyDraft(), ...kept.draft, answers } };
  } catch {
    return undefined;
  }
}

/** Forgets all drafts of this tab: somebody else may use it next. */
export function forgetDrafts() {
  for (const key of Object.keys(sessionStorage)) if (key.startsWith(prefix)) sessionStorage.removeItem(key);
}

/** Drafts that were saved; what their editors still say of them comes late. */
const over = new Set<string>();

/** A draft was saved: it is kept no more, until an editor is opened anew. */
export function endDraft(service: string, id: string) {
  keepDraft(service, id);
  over.add(keyOf(service, id));
}

/** Keeps a draft over a reload; without one there is none any more. */
export function keepDraft(service: string, id: string, kept?: Kept) {
  if (over.has(keyOf(service, id))) return;
  const text = kept && JSON.stringify(kept);
  try {
    if (text && text.length < mostKept) sessionStorage.setItem(keyOf(service, id), text);
    else sessionStorage.removeItem(keyOf(service, id));
  } catch {
    // the browser keeps nothing, or is full: the draft goes with the page
  }
}
