export { CallbackPanel } from './CallbackPanel';
export { CallbackSwitch } from './CallbackSwitch';
