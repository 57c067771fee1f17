import type { Token } from '@/api/types';
import { word } from '@/lib/shell';

/** What a token is to be for, as the API takes it. */
export interface TokenRequest {
  name: string;
  role: Token['role'];
  services?: string[];
  lanes?: string[];
  ttl?: string;
}

/** What the form holds: services and lanes as they are typed, ttl '' for a token without an end. */
export interface TokenDraft {
  name: string;
  role: Token['role'];
  services: string;
  lanes: string;
  ttl: string;
}

export const noDraft: TokenDraft = { name: '', role: 'tester', services: '', lanes: '', ttl: '30d' };

/** The words of a list that is typed with commas or spaces. */
function words(text: string): string[] | undefined {
  const list = text.split(/[\s,]+/).filter(Boolean);
  return list.length > 0 ? list : undefined;
}

/** What a draft asks for. An administrator is limited to nothing, whatever was typed before. */
export function requestOf(draft: TokenDraft): TokenRequest {
  const limited = draft.role !== 'admin';
  return {
    name: draft.name.trim(),
    role: draft.role,
    services: limited ? words(draft.services) : undefined,
    lanes: limited ? words(draft.lanes) : undefined,
    ttl: draft.ttl || undefined,
  };
}

/** The command that does the same. */
export function commandOf({ name, role, services, lanes, ttl }: TokenRequest): string {
  return [
    'rapidmimic token create',
    word(name || 'NAME'),
    `--role ${role}`,
    ...(services ?? []).map((service) => `--service ${word(service)}`),
    ...(lanes ?? []).map((lane) => `--lane ${word(lane)}`),
    ttl && `--ttl ${ttl}`,
  ]
    .filter(Boolean)
    .join(' ');
}
