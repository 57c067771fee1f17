import type { Call } from '@/api/types';

/** How many minutes the calls of an answer are drawn over. */
export const pulseMinutes = 15;

/** Calls a minute, the oldest first, by what they were for. */
export type Pulses = Map<string, number[]>;

export const operationKey = (id: string) => `operation ${id}`;
export const mappingKey = (id: string) => `mapping ${id}`;

/** Counts the calls of a service, in a lane or with '' in all, over the last minutes before now. */
export function pulsesOf(calls: Call[], service: string, lane: string, now: number): Pulses {
  const pulses: Pulses = new Map();
  const add = (key: string, minute: number) => {
    const counts = pulses.get(key) ?? Array<number>(pulseMinutes).fill(0);
    counts[minute] = (counts[minute] ?? 0) + 1;
    pulses.set(key, counts);
  };
  for (const call of calls) {
    const ago = Math.max(0, Math.floor((now - Date.parse(call.at)) / 60_000));
    if (ago >= pulseMinutes) break; // the newest come first
    if (call.service !== service || call.source === 'callback' || (lane && call.lane !== lane)) continue;
    const minute = pulseMinutes - 1 - ago;
    if (call.operation) add(operationKey(call.operation), minute);
    if (call.source === 'mapping' && call.by) add(mappingKey(call.by), minute);
  }
  return pulses;
}
