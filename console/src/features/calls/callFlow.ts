import type { Call } from '@/api/types';

/** A call in the order in which they were made, from one participant to another. */
export interface Step {
  call: Call;
  /** Places in the list of participants. */
  from: number;
  to: number;
  /** How long after the first one it came, and after the one before, in milliseconds. */
  afterMs: number;
  gapMs: number;
}

/** Somebody who calls or is called; a caller may have the name of a service. */
export interface Participant {
  key: string;
  name: string;
}

/** Who took part, callers before services and what services called, and what went between them. */
export interface Flow {
  participants: Participant[];
  steps: Step[];
}

/** What a User-Agent is called in a drawing: its first word, without a version. */
export function callerName({ agent }: Call): string {
  return agent?.split(/[/(]/)[0]?.trim() || 'a caller';
}

/** Orders calls as a flow; they may come in any order. */
export function flowOf(calls: Call[]): Flow {
  const ordered = [...calls].sort(
    (a, b) => Date.parse(a.at) - Date.parse(b.at) || a.id.length - b.id.length || a.id.localeCompare(b.id),
  );
  const callers: string[] = [];
  const services: string[] = [];
  const others: string[] = [];
  const note = (list: string[], name: string) => {
    if (!list.includes(name)) list.push(name);
  };
  for (const call of ordered) {
    note(services, call.service || call.host);
    if (call.source === 'callback') note(others, call.host);
    else note(callers, callerName(call));
  }
  const place = (list: string[], name: string, before: number) => before + list.indexOf(name);
  const first = Date.parse(ordered[0]?.at ?? '');
  return {
    participants: [
      ...callers.map((name) => ({ key: `caller ${name}`, name })),
      ...services.map((name) => ({ key: `service ${name}`, name })),
      ...others.map((name) => ({ key: `called ${name}`, name })),
    ],
    steps: ordered.map((call, i) => {
      const service = place(services, call.service || call.host, callers.length);
      const at = Date.parse(call.at);
      return {
        call,
        from: call.source === 'callback' ? service : place(callers, callerName(call), 0),
        to: call.source === 'callback' ? place(others, call.host, callers.length + services.length) : service,
        afterMs: at - first,
        gapMs: at - Date.parse(ordered[i - 1]?.at ?? call.at),
      };
    }),
  };
}
