export { DocsPage } from './DocsPage';
