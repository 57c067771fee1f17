import { useSyncExternalStore } from 'react';
import { remembered } from '@/lib/remembered';

/** The name of the lane that whoever sits here works in; '' for none. */
export const myLane = remembered('rapid-mimic.lane');

export function useMyLane(): string {
  return useSyncExternalStore(myLane.subscribe, myLane.get);
}

/** An API path with the lane that it is about; without one it is about calls in none. */
export function inLane(path: string, lane: string): string {
  if (!lane) return path;
  return `${path}${path.includes('?') ? '&' : '?'}lane=${encodeURIComponent(lane)}`;
}
