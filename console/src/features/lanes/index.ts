export { LaneStrip } from './LaneStrip';
export { patchInLane } from './queries';
export { useAddress, useLaneChanges } from './useLaneChanges';
