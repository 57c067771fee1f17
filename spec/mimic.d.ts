// Types of scripts of mappings, for editors: put this file beside the scripts and begin them with
//   /** @type {import('./mimic').Answering} */

/** A value of JSON. */
export type Json = null | boolean | number | string | Json[] | { [name: string]: Json };

/** The call that is answered. JSON.stringify(call) gives all of it. */
export interface Call {
  readonly method: string;
  /** Parameters of the mapping's path. */
  readonly path: Readonly<Record<string, string>>;
  /** The first value of each parameter of the query, and all of them. */
  readonly query: Readonly<Record<string, string>>;
  readonly queries: Readonly<Record<string, string[]>>;
  /** Names in lower case; several values have a comma between them. */
  readonly headers: Readonly<Record<string, string>>;
  readonly cookies: Readonly<Record<string, string>>;
  /** The address of the caller, and the name in its certificate. */
  readonly caller: string;
  readonly certificate: string;
  readonly address: string;
  /** The body as it came, and as a value where it is JSON, XML or a form; null for none. */
  readonly text: string;
  readonly body: any;
  /** The variables of the service. */
  readonly vars: Readonly<Record<string, any>>;
}

/** What the service remembers, for everybody or in the lane of the call. */
export interface State {
  /** What is remembered under a key; else the other value, or null. */
  recall(key: string, otherwise?: any): any;
  remember(key: string, value: Json, options?: { for?: string }): void;
  /** Adds to the list that is remembered under a key. */
  append(key: string, value: Json, options?: { for?: string }): void;
  forget(key: string): void;
  /** The state of a thing in a flow, and a move of it. */
  state(flow: string, thing?: string): string;
  move(flow: string, thing: string, to: string): void;
}

/** Draws data, the same in each run where the service has a seed. */
export interface Fake {
  ship(): string; name(): string; firstName(): string; lastName(): string; company(): string; town(): string; country(): string;
  street(): string; email(): string; phone(): string; url(): string; word(): string; sentence(): string; date(): string; time(): string;
  id(): string; amount(): string; uuid(): string;
  /** A whole number, both ends included. */
  whole(low: number, high: number): number;
  /** One of the elements. */
  pick<T>(list: readonly T[]): T;
}

/** What a script gives: a status, 200 when left out, headers, and one body or none. */
export interface Answer {
  status?: number;
  headers?: Record<string, string | number | Array<string | number>>;
  json?: any;
  text?: string;
  xml?: string;
  base64?: string;
}

export type Answering = (call: Call, state: State, fake: Fake) => Answer | Promise<Answer>;
