import { useSyncExternalStore } from 'react';
import { remembered } from '@/lib/remembered';

/** The name of the lane that whoever sits here works in; '' for none. */
export const myLane = remembered('rapid-mimic.lane');

export function useMyLane(): string {
  return useSyncExternalStore(myLane.subscribe, myLane.get);
}

/** Stands for the calls in no lane. */
export const noLane = '-';

/** Whose view of the services is mine: that of my lane, or of the calls in none. */
export function useView(): string {
  return useMyLane() || noLane;
}

/** An API path with the lane that it is about; without one it is about calls in none. */
export function inLane(path: string, lane: string): string {
  if (!lane) return path;
  return `${path}${path.includes('?') ? '&' : '?'}lane=${encodeURIComponent(lane)}`;
}
