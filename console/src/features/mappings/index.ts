export { forgetDrafts } from './keptDraft';
export { ManyMappings } from './ManyMappings';
export { MappingSwitch } from './MappingSwitch';
export { statusesOf } from './mappingDraft';
export { selectMappings } from './mappingFilter';
export { editorOf, ownerText } from './owner';
export { RemovedDialog } from './RemovedDialog';
