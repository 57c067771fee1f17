import { followEvents } from '@/api/eventStream';
import { send } from '@/api/http';
import { takePresent, visitor } from '@/api/presence';
import type { Batch, Call, Entry } from '@/api/types';
import { shortDigests } from '@/lib/digests';
import { external } from '@/lib/external';
import { addCalls, callNumber, mergeCalls } from './callFilter';

/** What is known of the calls as they arrive. */
export interface Feed {
  /** The newest first, at most maxCalls. */
  calls: Call[];
  /** What was changed, the newest first, at most maxEntries. */
  entries: Entry[];
  connection: 'connecting' | 'live' | 'lost';
  /** Whether the calls that the log held have been read. */
  filled: boolean;
  /** Calls that came too fast to be sent to this page. */
  skipped: number;
  /** How often the log was emptied since the page was opened. */
  emptied: number;
}

const maxCalls = 10_000;
const maxEntries = 500;
const backfill = 1_000;
const entriesBackfill = 100;
/** How often the page is drawn anew at most, in milliseconds. */
const publishEvery = 150;
/** How often it is told that something has changed, in milliseconds. */
const tellEvery = 300;

export const feed = external<Feed>({
  calls: [],
  entries: [],
  connection: 'connecting',
  filled: false,
  skipped: 0,
  emptied: 0,
});

let arrived: Call[] = [];
let skipped = 0;
let scheduled = false;
let telling = false;

function publish() {
  scheduled = false;
  if (arrived.length === 0 && skipped === 0) return;
  const now = feed.get();
  feed.set({ ...now, calls: addCalls(now.calls, arrived, maxCalls), skipped: now.skipped + skipped });
  arrived = [];
  skipped = 0;
}

/** Many changes in a row are told as one. */
function tell(onChange: () => void) {
  if (telling) return;
  telling = true;
  setTimeout(() => {
    telling = false;
    onChange();
  }, tellEvery);
}

function take(batch: Batch, onChange: () => void) {
  if (batch.entries) {
    const now = feed.get();
    feed.set({ ...now, entries: withEntries(now.entries, batch.entries) });
    tell(onChange);
  }
  if (batch.cleared) emptyFeed();
  arrived.push(...batch.calls);
  skipped += batch.skipped ?? 0;
  if (batch.gap) void fill();
  if (scheduled) return;
  scheduled = true;
  setTimeout(() => requestAnimationFrame(publish), publishEvery);
}

/** Entries with others added, each once. */
function withEntries(entries: Entry[], added: Entry[]): Entry[] {
  const all = new Map([...entries, ...added].map((entry) => [entry.id, entry]));
  return [...all.values()].sort((a, b) => Date.parse(b.at) - Date.parse(a.at)).slice(0, maxEntries);
}

/**
 * Reads the last calls from the log, and what was changed: at the start, and after a gap. Calls that
 * were known before may not be there any more.
 */
async function fill(): Promise<void> {
  const { calls, emptied } = feed.get();
  const newest = calls[0];
  const [list, changed] = await Promise.all([
    send<{ items: Call[] }>(`/calls?limit=${backfill}&ignored=true`),
    send<{ items: Entry[] }>(`/activity?limit=${entriesBackfill}`),
  ]);
  const now = feed.get();
  if (now.emptied !== emptied) return fill(); // the list may be older than that
  const since = now.calls.filter((call) => !newest || callNumber(call) > callNumber(newest));
  feed.set({
    ...now,
    filled: true,
    calls: mergeCalls(since, list.items, maxCalls),
    entries: withEntries(now.entries, changed.items),
  });
}

/**
 * Follows the stream of calls until the returned function is called; onChange is told when somebody
 * has changed something.
 */
export function startFeed(onChange: () => void): () => void {
  return followEvents(`/api/v1/calls/stream?ignored=true&visitor=${visitor}`, {
    onOpen() {
      feed.set({ ...feed.get(), connection: 'live' });
      if (!feed.get().filled) void fill().catch(() => feed.set({ ...feed.get(), connection: 'lost' }));
    },
    onLost: () => feed.set({ ...feed.get(), connection: 'lost' }),
    onEvent(type, data) {
      if (type === 'calls') take(JSON.parse(shortDigests(data)), onChange);
      if (type === 'present') takePresent(JSON.parse(data));
    },
  });
}

/** Reads the last calls anew, after what is ignored has changed. */
export function refillFeed() {
  arrived = [];
  return fill();
}

/** Forgets the calls on the page, after the log was emptied. */
export function emptyFeed() {
  arrived = [];
  const now = feed.get();
  feed.set({ ...now, calls: [], skipped: 0, emptied: now.emptied + 1 });
}
