import type { ImpairmentDocument } from '@/api/types';

/** Bounds of the bins in milliseconds: six to a decade, from 0.1 ms to 100 s. */
export const bounds = Array.from({ length: 37 }, (_, i) => 10 ** (-1 + i / 6));

/** The share of times in each bin; what is beyond goes to the first and last. */
export function sharesOf(times: number[]): number[] {
  const shares = new Array<number>(bounds.length - 1).fill(0);
  for (const time of times) {
    const at = bounds.findIndex((bound) => time < bound);
    const bin = at < 0 ? shares.length - 1 : Math.max(at - 1, 0);
    shares[bin] = (shares[bin] ?? 0) + 1 / times.length;
  }
  return shares;
}

/** The share of the latency that is set in each bin; undefined without one. */
export function setShares(latency: ImpairmentDocument['latency']): number[] | undefined {
  const below = cumulative(latency);
  return below && bounds.slice(1).map((bound, i) => below(bound) - below(bounds[i] ?? 0));
}

/** Which share of the latency lies below a time. */
function cumulative(latency: ImpairmentDocument['latency']): ((ms: number) => number) | undefined {
  if (!latency || latency === 'recorded') return undefined;
  if (typeof latency === 'object' && 'measured' in latency) {
    const times = (latency.measured[''] ?? []).map(milliseconds);
    return (ms) => times.filter((time) => time <= ms).length / times.length;
  }
  if (typeof latency === 'object') {
    const p50 = milliseconds(latency.p50);
    const sigma = Math.log(milliseconds(latency.p99) / p50) / 2.3263;
    return (ms) => (sigma === 0 ? Number(ms >= p50) : normal(Math.log(ms / p50) / sigma));
  }
  const [low = 0, high = low] = latency.split('..').map(milliseconds);
  return (ms) => (high === low ? Number(ms >= low) : Math.min(Math.max((ms - low) / (high - low), 0), 1));
}

const units: Record<string, number> = { ns: 1e-6, µs: 1e-3, us: 1e-3, ms: 1, s: 1e3, m: 6e4, h: 36e5 };

/** 1m30s in milliseconds. */
export function milliseconds(text: string): number {
  let sum = 0;
  for (const [, digits, unit] of text.matchAll(/([\d.]+)(ns|µs|us|ms|s|m|h)/g)) {
    sum += Number(digits) * (units[unit ?? ''] ?? 0);
  }
  return sum;
}

/** The share of the standard normal distribution below z (Abramowitz and Stegun 26.2.17). */
function normal(z: number): number {
  const t = 1 / (1 + 0.2316419 * Math.abs(z));
  const tail =
    Math.exp((-z * z) / 2) *
    0.3989423 *
    t *
    (0.3193815 + t * (-0.3565638 + t * (1.781478 + t * (-1.821256 + t * 1.330274))));
  return z > 0 ? 1 - tail : tail;
}
