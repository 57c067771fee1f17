export { LaneStrip } from './LaneStrip';
export { LanesPage } from './LanesPage';
export { patchInLane } from './queries';
export { useAddress, useLaneChanges } from './useLaneChanges';
