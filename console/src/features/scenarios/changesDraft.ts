import { keys } from '@/api/keys';
import { latencyOf } from '@/features/impairments';
import { plainOf, type Value, withValue } from '@/lib/yamlText';

/** What a document of a scenario or a lane says of a service, each scalar as its text. */
export interface ServiceShape {
  off?: string;
  mode?: string;
  examples?: Record<string, string>;
  mappingsOff?: string[];
  mappings?: { id?: string; call?: { method?: string | string[]; path?: string; operation?: string } }[];
  impair?: Impair;
  impairOperations?: Record<string, unknown>;
  impairMappings?: Record<string, unknown>;
}

interface Impair {
  latency?: string | { p50?: string; p99?: string };
  errors?: { rate?: string; status?: string | string[] | Record<string, string> };
}

/** What the form shows of a document. */
export interface Shape {
  name?: string;
  title?: string;
  buildsOn?: string;
  services: Record<string, ServiceShape>;
}

/** Reads a document for the form; undefined where a form cannot show it. */
export function shapeOf(text: string): Shape | undefined {
  const plain = plainOf(text);
  if (typeof plain !== 'object' || plain === null || Array.isArray(plain)) return undefined;
  const { services, ...head } = plain as Partial<Shape>;
  const each = isMap(services) ? services : {};
  if (!Object.values(each).every((service) => isMap(service) || !service)) return undefined;
  return { ...head, services: each };
}

function isMap(value: unknown): value is Record<string, ServiceShape> {
  return typeof value === 'object' && value !== null && !Array.isArray(value);
}

/** How a service as a whole is changed; '' for not at all. */
export type State = '' | 'off' | 'on' | 'answer' | 'relay';

export function stateOf({ off, mode }: ServiceShape): State {
  if (off === 'true') return 'off';
  if (mode === 'answer' || mode === 'relay') return mode;
  return off === 'false' ? 'on' : '';
}

/** The document with a service in another state. */
export function withState(text: string, service: string, state: State): string {
  const at = keys.service(service);
  const off = { off: 'true', on: 'false' }[state as string];
  const mode = state === 'answer' || state === 'relay' ? state : undefined;
  return withValue(withValue(text, [...at, 'mode'], mode), [...at, 'off'], off);
}

/** Latency, error rate and statuses of what makes a service slow or fail, as text. */
export function troubleOf({ impair = {} }: ServiceShape): Record<Trouble, string> {
  const { latency, errors } = impair;
  const status = errors?.status;
  const statuses = isMap(status) ? Object.keys(status) : [status ?? []].flat();
  return {
    latency: typeof latency === 'object' ? `p50=${latency.p50},p99=${latency.p99}` : (latency ?? ''),
    errors: errors?.rate ?? '',
    status: statuses.join(', '),
  };
}

export type Trouble = 'latency' | 'errors' | 'status';

/** The document with one of these changed. Without a rate there are no errors. */
export function withTrouble(text: string, service: string, what: Trouble, typed: string): string {
  const at = ['services', service, 'impair'];
  if (what === 'latency') return withValue(text, [...at, what], typed && latencyOf(typed));
  if (what === 'errors') return withValue(text, typed ? [...at, what, 'rate'] : [...at, what], typed);
  const statuses = typed.split(/[\s,]+/).filter(Boolean);
  const value: Value = statuses.length > 1 ? statuses : statuses[0];
  return withValue(text, [...at, 'errors', 'status'], value);
}

/** What a service has beside what the form can change, in words. */
export function besideOf({ mappings = [], impair = {}, ...more }: ServiceShape): string[] {
  const lines = mappings.map(({ id, call = {} }) => {
    const asks = call.operation
      ? `operation ${call.operation}`
      : `${[call.method ?? 'any'].flat().join('|')} ${call.path ?? ''}`;
    return `a mapping of its own for ${asks}${id ? ` (${id})` : ''}`;
  });
  const { latency: _, errors, ...rest } = impair;
  const others = Object.keys(rest).filter((key) => key !== 'seed');
  if (errors && !errors.rate) others.push('errors');
  if (others.length > 0) lines.push(`slow or failing: ${others.join(', ')}`);
  for (const part of [more.impairOperations, more.impairMappings]) {
    for (const id of Object.keys(part ?? {})) lines.push(`${id} slow or failing`);
  }
  return lines;
}
