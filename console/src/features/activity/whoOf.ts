import type { Entry } from '@/api/types';

/** Who made an entry, and by which way, as words of a sentence. */
export function whoOf({ by, via }: Pick<Entry, 'by' | 'via'>): { name: string; way: string } {
  const ways: Record<string, string> = {
    console: 'in the console',
    command: 'by command',
    API: 'by the API',
    folder: 'from a folder',
  };
  if (!via) return { name: by || 'Rapid Mimic', way: by ? '' : 'by itself' };
  return { name: by || 'Somebody', way: ways[via] ?? `by ${via}` };
}
