/** The words of a filter, those in quotes whole, as they are written. */
export function wordsIn(text: string): string[] {
  return text.match(/-?[A-Za-z]*:?"[^"]*"?|\S+/g) ?? [];
}

/** A filter without one of its words, and without an "or" that then stands at an end or twice. */
export function withoutWord(text: string, at: number): string {
  const words = wordsIn(text).filter((_, i) => i !== at);
  const isOr = (word?: string) => word?.toLowerCase() === 'or';
  return words
    .filter((word, i) => !isOr(word) || (i > 0 && i < words.length - 1 && !isOr(words[i - 1])))
    .join(' ');
}
