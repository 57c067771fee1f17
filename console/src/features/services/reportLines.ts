/** What is said, and of which places. */
export interface Alike {
  text: string;
  places: string[];
}

/** Puts together what says the same of several places: first what is said most often. */
export function alike(lines: { text: string; place: string }[]): Alike[] {
  const all = new Map<string, Alike>();
  for (const { text, place } of lines) {
    const one = all.get(text) ?? { text, places: [] };
    all.set(text, one);
    if (place) one.places.push(place);
  }
  return [...all.values()].sort((a, b) => b.places.length - a.places.length);
}
