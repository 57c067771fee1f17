import type { Timeline } from '@/api/types';

/** The order in which sources are stacked, from the bottom. */
export const stackOrder = ['contract', 'mapping', 'upstream', 'impairment', 'miss', 'self'];

export interface Piece {
  source: string;
  /** Offsets from the bottom and heights, as shares of the whole height. */
  from: number;
  tall: number;
}

/** One span of a timeline, ready to be drawn. */
export interface Column {
  /** When it begins, in milliseconds since 1970. */
  at: number;
  calls: number;
  failed: number;
  notKept: number;
  p95Ms: number;
  pieces: Piece[];
}

export interface TimelineView {
  columns: Column[];
  /** The most calls of a column, and the longest time of one. */
  most: number;
  slowestMs: number;
  calls: number;
  failed: number;
  notKept: number;
}

/** What is drawn of a timeline: each column as its share of the fullest one. */
export function timelineView({ from, seconds, spans }: Timeline): TimelineView {
  const sums = spans.map(({ sources }) => sum(Object.values(sources)));
  const most = Math.max(1, ...sums);
  const begin = Date.parse(from);
  const columns = spans.map((span, i) => {
    let at = 0;
    const pieces = stackOrder.flatMap((source) => {
      const tall = (span.sources[source] ?? 0) / most;
      if (tall === 0) return [];
      at += tall;
      return [{ source, from: at - tall, tall }];
    });
    return {
      at: begin + i * seconds * 1_000,
      calls: sums[i] ?? 0,
      failed: span.failed,
      notKept: span.notKept ?? 0,
      p95Ms: span.p95Ms,
      pieces,
    };
  });
  return {
    columns,
    most,
    slowestMs: Math.max(1, ...columns.map(({ p95Ms }) => p95Ms)),
    calls: sum(sums),
    failed: sum(columns.map(({ failed }) => failed)),
    notKept: sum(columns.map(({ notKept }) => notKept)),
  };
}

const sum = (numbers: number[]) => numbers.reduce((all, n) => all + n, 0);

/** The time between two columns, whichever was first, both in it. */
export function timeBetween(columns: Column[], a: number, b: number, spanMs: number) {
  const first = columns[Math.min(a, b)];
  const last = columns[Math.max(a, b)];
  return first && last ? { from: first.at, to: last.at + spanMs } : undefined;
}

/** A time as the address of the page has it: 1796000000000-1796000015000. */
export function timeText({ from, to }: { from: number; to: number }): string {
  return `${from}-${to}`;
}

export function readTime(text: string | null): { from: number; to: number } | undefined {
  const [, from, to] = /^(\d+)-(\d+)$/.exec(text ?? '') ?? [];
  return from && to && Number(from) < Number(to) ? { from: Number(from), to: Number(to) } : undefined;
}
