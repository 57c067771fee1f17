export { StartWalk } from './StartWalk';
export { WalkList } from './WalkList';
