export { MappingTable } from './MappingTable';
export { editorOf, ownerText } from './owner';
