export { MappingPage, NewMappingPage } from './MappingPage';
export { MappingTable } from './MappingTable';
export { editorOf, ownerText } from './owner';
