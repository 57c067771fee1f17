import { external } from '@/lib/external';
import { changeMade, send } from './http';
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
/** For how long somebody edits after the last key, in ms. */
const editsFor = 60_000;

/**
 * Says where this tab is and whether somebody types in a form of it, at once and again now and
 * then, until the returned function is called.
 */
export function stayAt(at: string): () => void {
  let editing = false;
  let rest: ReturnType<typeof setTimeout> | undefined;
  const say = () =>
    void send(`/presence/${visitor}`, { method: 'PUT', body: JSON.stringify({ at, editing }) }).catch(
      () => {},
    );
  const edit = (now: boolean) => {
    clearTimeout(rest);
    if (now) rest = setTimeout(() => edit(false), editsFor);
    if (now !== editing) {
      editing = now;
      say();
    }
  };
  const typed = ({ target }: Event) => {
    if (target instanceof Element && target.closest('form:not([data-personal])')) edit(true);
  };
  const stopped = () => edit(false);
  addEventListener('input', typed);
  addEventListener(changeMade, stopped);
  say();
  const timer = setInterval(say, again);
  return () => {
    clearInterval(timer);
    clearTimeout(rest);
    removeEventListener('input', typed);
    removeEventListener(changeMade, stopped);
  };
}

/** Says that this tab is closed. */
export function leave() {
  void send(`/presence/${visitor}`, { method: 'DELETE', keepalive: true }).catch(() => {});
}
