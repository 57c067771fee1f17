/** The key in the document of an item; '' where there is none, or no document. */
export function keyIn(text: string, property?: string): string {
  try {
    const value = JSON.parse(text)?.[property ?? ''];
    return typeof value === 'string' || typeof value === 'number' ? String(value) : '';
  } catch {
    return '';
  }
}
