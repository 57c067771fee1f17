import type { Walk } from '@/api/types';
import { count } from '@/lib/format';

/** How many steps of a walk have each verdict. */
export function tally({ steps }: Pick<Walk, 'steps'>): string {
  const of = (verdict?: string) => steps.filter((step) => step.verdict === verdict).length;
  return `${of('fine')} fine, ${count(of('defect'), 'defect')}, ${count(of('note'), 'note')}, ${of(undefined)} open`;
}
