/** How long it is until a moment, in words: "2 h 5 min", "45 s". */
export function left(until: string, now = Date.now()): string {
  const seconds = Math.max(0, Math.round((Date.parse(until) - now) / 1000));
  const minutes = Math.floor(seconds / 60);
  if (seconds < 60) return `${seconds} s`;
  if (minutes < 60) return `${minutes} min ${seconds % 60} s`;
  if (minutes < 24 * 60) return `${Math.floor(minutes / 60)} h ${minutes % 60} min`;
  return `${Math.floor(minutes / 60 / 24)} d ${Math.floor(minutes / 60) % 24} h`;
}

/** The time to live, in seconds from when it was opened, that keeps a lane open so much longer. */
export function extended(opened: string, until: string, bySeconds: number): number {
  return Math.round((Date.parse(until) - Date.parse(opened)) / 1000) + bySeconds;
}
