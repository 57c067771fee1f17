export { MappingPage, NewMappingPage } from './MappingPage';
export { MappingTable } from './MappingTable';
