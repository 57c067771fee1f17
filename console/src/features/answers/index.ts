export { AnswerList } from './AnswerList';
export { groupUndescribed } from './groups';
