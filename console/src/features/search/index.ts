export { SearchDialog } from './SearchDialog';
