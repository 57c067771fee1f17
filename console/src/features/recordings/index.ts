export { RecordingPanel } from './RecordingPanel';
