export { ImpairmentMark } from './ImpairmentMark';
export { ImpairmentStrip } from './ImpairmentStrip';
export { latencyOf } from './latency';
export { switchImpairments } from './queries';
export { useRefresh } from './useRefresh';
