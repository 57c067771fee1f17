import { remembered } from '@/lib/remembered';

/** A filter that has a name, kept in this browser. */
export interface SavedFilter {
  name: string;
  text: string;
}

/** The filters that this browser remembers, as JSON. */
export const savedFilters = remembered('call filters');

/** Reads them; what is none is left out. */
export function readFilters(json: string): SavedFilter[] {
  try {
    const list: unknown = JSON.parse(json || '[]');
    return Array.isArray(list)
      ? list.filter((one) => typeof one?.name === 'string' && typeof one.text === 'string')
      : [];
  } catch {
    return [];
  }
}

/** Adds one, in place of another of its name. */
export function withFilter(list: SavedFilter[], { name, text }: SavedFilter): SavedFilter[] {
  return [...list.filter((one) => one.name !== name), { name, text }].sort((a, b) =>
    a.name.localeCompare(b.name),
  );
}
