import { asked, authorization } from './token';

interface Listening {
  onOpen(): void;
  onLost(): void;
  /** An event by its type and data. */
  onEvent(type: string, data: string): void;
}

const firstWait = 500;
const longestWait = 10_000;

/**
 * Follows Server-Sent Events by fetch, which can say who asks, and goes on where it was after a break.
 * It ends when the returned function is called.
 */
export function followEvents(path: string, { onOpen, onLost, onEvent }: Listening): () => void {
  const ended = new AbortController();
  let lastId = '';
  let wait = firstWait;
  const once = async () => {
    const headers: Record<string, string> = { Accept: 'text/event-stream', ...authorization() };
    if (lastId) headers['Last-Event-ID'] = lastId;
    const response = await fetch(path, { headers, signal: ended.signal });
    if (response.status === 401) asked.set(true);
    if (!response.ok || !response.body) throw new Error(`the answer was ${response.status}`);
    wait = firstWait;
    onOpen();
    const reader = response.body.pipeThrough(new TextDecoderStream()).getReader();
    const parser = eventParser((event) => {
      lastId = event.id || lastId;
      onEvent(event.type, event.data);
    });
    for (;;) {
      const { value, done } = await reader.read();
      if (done) return;
      parser(value);
    }
  };
  void (async () => {
    while (!ended.signal.aborted) {
      await once().catch(() => {});
      if (ended.signal.aborted) return;
      onLost();
      if (asked.get()) return; // it begins anew when somebody is in
      await new Promise((resolve) => setTimeout(resolve, wait));
      wait = Math.min(2 * wait, longestWait);
    }
  })();
  return () => ended.abort();
}

interface StreamEvent {
  id: string;
  type: string;
  data: string;
}

/** Takes a stream of events in pieces, and tells of each event when it is whole. */
export function eventParser(tell: (event: StreamEvent) => void): (piece: string) => void {
  let rest = '';
  let event: StreamEvent = { id: '', type: 'message', data: '' };
  return (piece) => {
    rest += piece;
    for (;;) {
      const end = rest.indexOf('\n');
      if (end < 0) return;
      const line = rest.slice(0, end).replace(/\r$/, '');
      rest = rest.slice(end + 1);
      if (line === '') {
        if (event.data) tell(event);
        event = { id: event.id, type: 'message', data: '' };
        continue;
      }
      const [, name = '', value = ''] = /^([^:]*):? ?(.*)$/.exec(line) ?? [];
      if (name === 'id') event.id = value;
      if (name === 'event') event.type = value;
      if (name === 'data') event.data += event.data ? `\n${value}` : value;
    }
  };
}
