export { watchWhileAway } from './awayNotice';
export { CallsPage } from './CallsPage';
export { emptyFeed, feed, startFeed } from './callFeed';
export { filterCalls } from './callFilter';
export { MessageView } from './MessageView';
export { callDetail } from './queries';
export { SendCall } from './SendCall';
