/** The latency that a text means: 250ms, 200ms..900ms, recorded or p50=80ms,p99=900ms. */
export function latencyOf(text: string): string | { p50: string; p99: string } {
  const shaped = /^p50=([^,]+),\s*p99=(.+)$/.exec(text.trim());
  return shaped ? { p50: shaped[1]?.trim() ?? '', p99: shaped[2]?.trim() ?? '' } : text.trim();
}
