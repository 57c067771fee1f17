export { MemoryPanel } from './MemoryPanel';
