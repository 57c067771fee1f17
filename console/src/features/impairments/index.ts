export { ImpairmentPanel } from './ImpairmentPanel';
export { ImpairmentStrip } from './ImpairmentStrip';
