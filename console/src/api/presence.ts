import { external } from '@/lib/external';
import { send } from './http';
import type { Present } from './types';

/** This tab, as others are told of it. */
export const visitor = crypto.randomUUID?.() ?? `tab-${Math.random().toString(36).slice(2)}`;

/** Who else has the console open, and where; the live stream tells. */
export const others = external<Present[]>([]);

/** Takes what the stream tells of who is here. */
export function takePresent(here: Present[]) {
  others.set(here.filter((one) => one.visitor !== visitor));
}

const again = 20_000;

/** Says where this tab is, and again now and then, until the returned function is called. */
export function stayAt(at: string): () => void {
  const say = () =>
    void send(`/presence/${visitor}`, { method: 'PUT', body: JSON.stringify({ at }) }).catch(() => {});
  say();
  const timer = setInterval(say, again);
  return () => clearInterval(timer);
}

/** Says that this tab is closed. */
export function leave() {
  void send(`/presence/${visitor}`, { method: 'DELETE', keepalive: true }).catch(() => {});
}
