import { word } from '@/lib/shell';
import type { CallScope } from './callFilter';

/** The command that lists the same calls. */
export function commandOf(text: string, { service, lane, time }: CallScope): string {
  const flags: [string, string | undefined][] = [
    ['--service', service],
    ['--lane', lane],
    ['--text', text.trim()],
    ['--since', time && new Date(time.from).toISOString()],
    ['--until', time && new Date(time.to).toISOString()],
  ];
  return ['rapidmimic calls', ...flags.flatMap(([flag, value]) => (value ? [flag, word(value)] : []))].join(
    ' ',
  );
}
