export { MemoryPanel } from './MemoryPanel';
export { RecallPanel } from './RecallPanel';
