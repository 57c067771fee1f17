import type { Found, Status } from '@/api/types';

/** Something that one can go to, or do. */
export interface Target {
  key: string;
  /** What it is: page, service, operation, action. */
  kind: string;
  title: string;
  says?: string;
  /** Where it leads. */
  href?: string;
  /** What it does instead. */
  act?: Act;
}

/** What can be done from anywhere. */
export type Act =
  | { do: 'stop impairments' | 'resume impairments' | 'theme' | 'density' }
  | { do: 'scenario'; name: string };

const pages: [title: string, href: string][] = [
  ['Services', '/'],
  ['Calls', '/calls'],
  ['Scenarios', '/scenarios'],
  ['Lanes', '/lanes'],
  ['Variables', '/variables'],
  ['Activity', '/activity'],
  ['Retries', '/retries'],
  ['API', '/reference'],
];

const rooms: [title: string, room: string][] = [
  ['answers', ''],
  ['calls', '/calls'],
  ['trouble: slow or failing', '/trouble'],
  ['recordings', '/recordings'],
  ['memory', '/memory'],
  ['contract', '/contract'],
  ['settings', '/settings'],
  ['new mapping', '/mappings'],
  ['documentation for callers', '/docs'],
];

/** Where one is: the service whose page is open, '' for none, and what is true of the environment. */
export interface Here {
  service: string;
  status?: Pick<Status, 'impaired' | 'impairmentsOff' | 'scenario'>;
}

/** What can be done and gone to whatever was found, as far as it has all words. */
export function fixedTargets(text: string, { service, status }: Here): Target[] {
  const all: Target[] = [];
  if (service) {
    const base = serviceAddress(service);
    for (const [title, room] of rooms) {
      all.push({ key: `room ${room}`, kind: 'room', title: `${service}: ${title}`, href: base + room });
    }
  }
  for (const [title, href] of pages) all.push({ key: `page ${href}`, kind: 'page', title, href });
  const act = (title: string, act: Act) => all.push({ key: `act ${title}`, kind: 'action', title, act });
  if (status?.impairmentsOff) act('Switch impairments on again', { do: 'resume impairments' });
  else if (status?.impaired.length) act('Stop all impairments', { do: 'stop impairments' });
  if (status?.scenario.scenario)
    act(`Leave scenario ${status.scenario.scenario}`, { do: 'scenario', name: '' });
  act('Use the other theme, light or dark', { do: 'theme' });
  act('Set lists dense, or roomy again', { do: 'density' });
  return all.filter(({ title }) => hasAll(title, text));
}

function hasAll(title: string, text: string): boolean {
  const words = title.toLowerCase();
  return text
    .toLowerCase()
    .split(/\s+/)
    .every((word) => words.includes(word));
}

/** The call of an id that was written. */
export function callTarget(text: string): Target[] {
  const id = /^\s*(c-[0-9a-f]+)\s*$/i.exec(text)?.[1]?.toLowerCase();
  return id
    ? [{ key: id, kind: 'call', title: id, href: `/calls?${new URLSearchParams({ call: id })}` }]
    : [];
}

/** The words to search for: of "use storm", which asks for a scenario to switch on, those behind use. */
export function soughtIn(text: string): { words: string; toUse: boolean } {
  const words = /^\s*use\s+(.*)$/i.exec(text)?.[1];
  return { words: (words ?? text).trim(), toUse: words !== undefined };
}

/** Where what was found leads; a scenario can be switched on at once, too. */
export function foundTargets({ kind, service = '', id, says }: Found): Target[] {
  const key = `${kind} ${service} ${id}`;
  const base = serviceAddress(service);
  switch (kind) {
    case 'service':
      return [{ key, kind, title: id, says, href: serviceAddress(id) }];
    case 'mapping':
      return [
        {
          key,
          kind,
          title: id,
          says: `${service}  ${says ?? ''}`,
          href: `${base}/mappings/${encodeURIComponent(id)}`,
        },
      ];
    case 'operation':
      return [
        {
          key,
          kind,
          title: id,
          says: `${service}  ${says ?? ''}`,
          href: `${base}/docs/${encodeURIComponent(id)}`,
        },
      ];
    case 'scenario':
      return [
        { key, kind, title: id, says, href: `/scenarios?${new URLSearchParams({ scenario: id })}` },
        { key: `use ${id}`, kind: 'action', title: `Use scenario ${id}`, act: { do: 'scenario', name: id } },
      ];
    case 'lane':
      return [{ key, kind, title: id, says, href: `/lanes?${new URLSearchParams({ lane: id })}` }];
  }
}

/** The service whose page an address is, '' for none. */
export function serviceOf(path: string): string {
  return decodeURIComponent(/^\/services\/([^/]+)/.exec(path)?.[1] ?? '');
}

const serviceAddress = (service: string) => `/services/${encodeURIComponent(service)}`;
