import { queryOptions } from '@tanstack/react-query';
import { part, send } from '@/api/http';
import { keys } from '@/api/keys';
import type { Callback, CallbackResult } from '@/api/types';

export function webhookList(service: string) {
  return queryOptions({
    queryKey: keys.webhooks(service),
    queryFn: () => send<{ items: Callback[] }>(`/services/${part(service)}/webhooks?limit=1000`),
  });
}

/** Has the service make the call of a webhook, in a lane or with '' in none; an empty address is the one of the service. */
export function sendWebhook(service: string, webhook: string, lane: string, to: string) {
  const query = lane ? `?${new URLSearchParams({ lane })}` : '';
  return send<CallbackResult>(`/services/${part(service)}/webhooks/${part(webhook)}/calls${query}`, {
    method: 'POST',
    body: JSON.stringify(to ? { to } : {}),
  });
}
