export { RetriesPage } from './RetriesPage';
