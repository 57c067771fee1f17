export { watchWhileAway } from './awayNotice';
export { emptyFeed, feed, startFeed } from './callFeed';
export { filterCalls } from './callFilter';
export { callDetail } from './queries';
