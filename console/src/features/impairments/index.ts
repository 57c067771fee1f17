export { ImpairmentMark } from './ImpairmentMark';
export { ImpairmentPanel } from './ImpairmentPanel';
export { ImpairmentStrip } from './ImpairmentStrip';
export { latencyOf } from './impairmentDraft';
export { switchImpairments } from './queries';
export { useRefresh } from './useRefresh';
