import type { Call } from '@/api/types';

/** A call as a point, by its shares of the width and of the height from the bottom. */
export interface Point {
  call: Call;
  x: number;
  y: number;
}

export interface Scatter {
  points: Point[];
  /** When the first and the last of the calls came, in milliseconds since 1970. */
  from: number;
  to: number;
  /** Times to be marked, in milliseconds, by their shares of the height. */
  marks: { ms: number; y: number }[];
  medianMs: number;
  p95Ms: number;
  /** The slowest first. */
  slowest: Call[];
}

const mostSlow = 6;
/** Nothing is drawn below this, in milliseconds: what is quicker is as good as at once. */
const least = 0.01;

/** Calls by when they came and how long they took, which has an axis of powers of ten. */
export function scatterOf(calls: Call[]): Scatter | undefined {
  const sorted = [...calls].sort((a, b) => a.tookMs - b.tookMs);
  const [quickest, slow] = [sorted[0], sorted.at(-1)];
  if (!quickest || !slow) return undefined;
  const came = calls.map(({ at }) => Date.parse(at));
  const from = Math.min(...came);
  const to = Math.max(...came);
  const low = Math.floor(Math.log10(Math.max(least, quickest.tookMs)));
  const high = Math.max(low + 1, Math.ceil(Math.log10(Math.max(least, slow.tookMs))));
  const yOf = (ms: number) => (Math.log10(Math.max(least, ms)) - low) / (high - low);
  const rank = (share: number) =>
    sorted[Math.min(sorted.length - 1, Math.floor(share * sorted.length))]?.tookMs ?? 0;
  return {
    points: calls.map((call, i) => ({
      call,
      x: to === from ? 0.5 : ((came[i] ?? from) - from) / (to - from),
      y: yOf(call.tookMs),
    })),
    from,
    to,
    marks: Array.from({ length: high - low + 1 }, (_, i) => 10 ** (low + i)).map((ms) => ({
      ms,
      y: yOf(ms),
    })),
    medianMs: rank(0.5),
    p95Ms: rank(0.95),
    slowest: sorted.slice(-mostSlow).reverse(),
  };
}

/** The point that is nearest to a place, both in pixels from the top left; undefined where none is near. */
export function nearest(
  points: Point[],
  place: { x: number; y: number },
  size: { width: number; height: number },
  within = 14,
): Point | undefined {
  let found: Point | undefined;
  let best = within ** 2;
  for (const point of points) {
    const away = (point.x * size.width - place.x) ** 2 + ((1 - point.y) * size.height - place.y) ** 2;
    if (away <= best) {
      best = away;
      found = point;
    }
  }
  return found;
}
