export { whoOf } from './whoOf';
