import { useSyncExternalStore } from 'react';
import { remembered } from './remembered';

/** How close the lines of lists stand: roomy, the default, or dense. */
export type Density = 'roomy' | 'dense';

const kept = remembered('density');

export const currentDensity = (): Density => (kept.get() === 'dense' ? 'dense' : 'roomy');

/** Changes it, and keeps the choice in this browser. */
export function setDensity(density: Density) {
  kept.set(density === 'dense' ? density : '');
}

export const useDensity = () => useSyncExternalStore(kept.subscribe, currentDensity);

/** The height of a line in pixels, of one that is roomy with this height. */
export function useLineHeight(roomy: number): number {
  return useDensity() === 'dense' ? Math.round(roomy * 0.74) : roomy;
}
