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

const times = new WeakMap<Call, number>();

/** When a call came; reading that text of thousands each second would take longer than drawing them. */
function cameAt(call: Call): number {
  let at = times.get(call);
  if (at === undefined) {
    at = Date.parse(call.at);
    times.set(call, at);
  }
  return at;
}

/** Calls by when they came and how long they took, which has an axis of powers of ten. */
export function scatterOf(calls: Call[]): Scatter | undefined {
  if (calls.length === 0) return undefined;
  const took = Float64Array.from(calls, ({ tookMs }) => tookMs).sort();
  let from = Number.POSITIVE_INFINITY;
  let to = Number.NEGATIVE_INFINITY;
  for (const call of calls) {
    from = Math.min(from, cameAt(call));
    to = Math.max(to, cameAt(call));
  }
  const rank = (share: number) => took[Math.min(took.length - 1, Math.floor(share * took.length))] ?? 0;
  const low = Math.floor(Math.log10(Math.max(least, rank(0))));
  const high = Math.max(low + 1, Math.ceil(Math.log10(Math.max(least, rank(1)))));
  const yOf = (ms: number) => (Math.log10(Math.max(least, ms)) - low) / (high - low);
  return {
    points: calls.map((call) => ({
      call,
      x: to === from ? 0.5 : (cameAt(call) - from) / (to - from),
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
    slowest: slowestOf(calls, took),
  };
}

function slowestOf(calls: Call[], took: Float64Array): Call[] {
  const bound = took[Math.max(0, took.length - mostSlow)] ?? 0;
  return calls
    .filter(({ tookMs }) => tookMs >= bound)
    .sort((a, b) => b.tookMs - a.tookMs)
    .slice(0, mostSlow);
}

/** How near to one another, in pixels, points of one source stand for each other: their marks are several wide. */
const near = 3;

/** Points that do not stand on top of one another: of thousands those that can be told apart. */
export function apart(points: Point[], size: { width: number; height: number }): Point[] {
  const columns = Math.ceil(size.width / near) + 1;
  const taken = new Map<string, Set<number>>();
  return points.filter(({ call: { source }, x, y }) => {
    const places = taken.get(source) ?? new Set();
    taken.set(source, places);
    const place = Math.round(((1 - y) * size.height) / near) * columns + Math.round((x * size.width) / near);
    if (places.has(place)) return false;
    places.add(place);
    return true;
  });
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
