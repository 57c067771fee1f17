export { LaneStrip } from './LaneStrip';
export { LanesPage } from './LanesPage';
