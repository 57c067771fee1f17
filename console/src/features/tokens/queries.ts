import { queryOptions } from '@tanstack/react-query';
import { part, send } from '@/api/http';
import { keys } from '@/api/keys';
import type { NewToken, Token } from '@/api/types';
import type { TokenRequest } from './tokenRequest';

export function tokenList() {
  return queryOptions({
    queryKey: keys.tokens(),
    queryFn: () => send<{ items: Token[] }>('/tokens'),
  });
}

/** Creates a token; its secret is told this once. */
export function createToken(wanted: TokenRequest) {
  return send<NewToken>('/tokens', { method: 'POST', body: JSON.stringify(wanted) });
}

export function revokeToken(id: string) {
  return send<void>(`/tokens/${part(id)}`, { method: 'DELETE' });
}
