import type { Call } from '@/api/types';
import { duration } from '@/lib/format';
import { remembered } from '@/lib/remembered';

/** The columns of the list of calls that can be left out or taken in, in their order. */
export const columns = [
  { id: 'time', title: 'Time', track: '76px' },
  { id: 'service', title: 'Service', track: 'minmax(70px,0.6fr)' },
  { id: 'call', title: 'Call', track: 'minmax(200px,2fr)' },
  { id: 'operation', title: 'Operation', track: 'minmax(90px,0.8fr)' },
  { id: 'status', title: 'Status', track: '150px' },
  { id: 'by', title: 'Answered by', track: 'minmax(110px,1.2fr)' },
  { id: 'under', title: 'Under', track: 'minmax(80px,0.8fr)' },
  { id: 'caller', title: 'Caller', track: 'minmax(90px,0.8fr)' },
  { id: 'trace', title: 'Trace', track: '76px' },
  { id: 'took', title: 'Took', track: '76px', right: true },
  { id: 'id', title: 'Id', track: '72px', right: true },
] as const;

export type ColumnId = (typeof columns)[number]['id'];
export type Column = { id: ColumnId; title: string; track: string; right?: boolean };

/** The columns that are there unless something else is chosen. */
const usual: ColumnId[] = ['time', 'call', 'status', 'by', 'under', 'took', 'id'];

/** What was chosen in this browser, as JSON: the columns that are there; '' for the usual ones. */
export const chosenColumns = remembered('call columns');

/** Reads what was chosen; undefined for nothing. */
export function readColumns(json: string): ColumnId[] | undefined {
  try {
    const list: unknown = JSON.parse(json || 'null');
    return Array.isArray(list)
      ? columns.map(({ id }) => id).filter((id) => id === 'call' || list.includes(id))
      : undefined;
  } catch {
    return undefined;
  }
}

/** The columns to show: the chosen ones, or the usual ones; Under where calls have a lane or scenario to tell. */
export function shownColumns(chosen: ColumnId[] | undefined, under: boolean): Column[] {
  const wanted = chosen ?? usual;
  return columns.filter(({ id }) => wanted.includes(id) && (id !== 'under' || under));
}

/** What is chosen after a column was taken in or left out. */
export function withColumn(shown: ColumnId[], id: ColumnId, on: boolean): ColumnId[] {
  return columns.map((one) => one.id).filter((one) => (one === id ? on : shown.includes(one)));
}

/** Whether calls have something to tell in the column Under. */
export function anyUnder(calls: Call[], mixed: boolean): boolean {
  return calls.some(({ lane, scenario }) => scenario || (mixed && lane));
}

/** In which lane, where that can be several, and under which scenario a call was answered. */
export function underOf({ lane, scenario }: Call, mixed: boolean): string {
  return [mixed && lane && `lane ${lane}`, scenario].filter(Boolean).join(', ');
}

/** The text of a column that has nothing but text. */
export function textOf(id: ColumnId, call: Call, mixed: boolean): string {
  switch (id) {
    case 'service':
      return call.service;
    case 'operation':
      return call.operation ?? '';
    case 'under':
      return underOf(call, mixed);
    case 'caller':
      return call.agent ?? '';
    case 'trace':
      return call.trace?.slice(0, 8) ?? '';
    case 'took':
      return duration(call.tookMs);
    default:
      return call.id;
  }
}
