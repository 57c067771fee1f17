import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'wouter';
import { wrongIn } from '@/api/http';
import { keys } from '@/api/keys';
import { useMyLane } from '@/api/myLane';
import { patchService } from '@/api/services';
import type { Callback, CallbackResult, Service } from '@/api/types';
import { count } from '@/lib/format';
import { word } from '@/lib/shell';
import { statusText } from '@/lib/statusText';
import { Button } from '@/ui/Button';
import { CommandLine } from '@/ui/CommandLine';
import { Field, inputLook } from '@/ui/Field';
import { notifyChange } from '@/ui/Notices';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { callsBack } from './CallbackSwitch';
import { sendWebhook, webhookList } from './queries';

/** The calls that a service makes itself: after answers, and by hand. */
export function CallbackPanel({ service }: { service: Service }) {
  const declared = service.contract?.callbacks ?? 0;
  const webhooks = service.contract?.webhooks ?? 0;
  if (!callsBack(service)) {
    return (
      <div className="space-y-2 px-5">
        <p className="max-w-[820px] text-[13px] text-dim">
          {declaredText(declared, webhooks)} The service makes none of them until callbacks are on.
        </p>
        <CommandLine command={`rapidmimic service set ${word(service.name)} --callbacks on`} />
      </div>
    );
  }
  return (
    <div className="space-y-3">
      <p className="max-w-[820px] px-5 text-[13px] text-dim">
        {declaredText(declared, webhooks)} Each is a{' '}
        <Link
          href={`/calls?${new URLSearchParams({ text: `service:${service.name} source:callback` })}`}
          className="text-accent underline"
        >
          call in the log
        </Link>
        , with what came back.
      </p>
      <Hosts service={service} />
      {webhooks > 0 && <Webhooks service={service} />}
    </div>
  );
}

function declaredText(callbacks: number, webhooks: number): string {
  const parts = [
    callbacks > 0 && `${count(callbacks, 'callback')}, made after answers`,
    webhooks > 0 && `${count(webhooks, 'webhook')}, sent by hand`,
  ].filter(Boolean);
  return parts.length > 0
    ? `The contract declares ${parts.join(', and ')}.`
    : 'Mappings list callbacks of their own.';
}

/** What of this machine and of private networks may be called. */
function Hosts({ service }: { service: Service }) {
  const queries = useQueryClient();
  const how = typeof service.callbacks === 'object' ? service.callbacks : {};
  const now = (how.hosts ?? []).join(', ');
  const [hosts, setHosts] = useState(now);
  const change = useMutation({
    mutationFn: () => patchService(service, { callbacks: { hosts: hosts.split(/[\s,]+/).filter(Boolean) } }),
    onSuccess: () => {
      notifyChange(`${service.name} changed, live on the next call`);
      return queries.invalidateQueries({ queryKey: keys.services() });
    },
  });
  return (
    <form
      className="flex flex-wrap items-end gap-2 px-5"
      onSubmit={(event) => {
        event.preventDefault();
        change.mutate();
      }}
    >
      <Field
        label="Private hosts that may be called; others must be public"
        placeholder="localhost, *.test"
        value={hosts}
        onChange={(event) => setHosts(event.target.value)}
        className="w-96 font-mono"
      />
      <Button type="submit" disabled={hosts.trim() === now}>
        Set the hosts
      </Button>
      {change.isError && <ProblemNotice message={wrongIn(change.error)} />}
    </form>
  );
}

function Webhooks({ service }: { service: Service }) {
  const { data } = useQuery(webhookList(service.name));
  return (
    <ul className="border-line border-y">
      {data?.items.map((webhook) => (
        <WebhookRow key={webhook.name} service={service} webhook={webhook} />
      ))}
    </ul>
  );
}

function WebhookRow({ service, webhook }: { service: Service; webhook: Callback }) {
  const lane = useMyLane();
  const usual = (typeof service.callbacks === 'object' && service.callbacks.to) || '';
  const [to, setTo] = useState('');
  const sent = useMutation({ mutationFn: () => sendWebhook(service.name, webhook.name, lane, to.trim()) });
  return (
    <li data-webhook={webhook.name} className="space-y-1.5 border-line border-b px-5 py-2 last:border-b-0">
      <form
        className="flex flex-wrap items-center gap-x-4 gap-y-1.5 text-[13px]"
        onSubmit={(event) => {
          event.preventDefault();
          sent.mutate();
        }}
      >
        <strong className="font-medium">{webhook.name}</strong>
        <span className="text-dim">{webhook.summary}</span>
        <span className="ml-auto flex flex-wrap items-center gap-2">
          <input
            aria-label={`Address that ${webhook.name} goes to`}
            type="url"
            required={!usual}
            placeholder={usual || 'http://localhost:9000/told'}
            value={to}
            onChange={(event) => setTo(event.target.value)}
            className={`${inputLook} w-72 font-mono`}
          />
          <Button type="submit" disabled={sent.isPending}>
            Send
          </Button>
        </span>
      </form>
      {sent.isError && <ProblemNotice message={wrongIn(sent.error)} />}
      {sent.data && <Outcome result={sent.data} />}
    </li>
  );
}

function Outcome({ result }: { result: CallbackResult }) {
  return (
    <p role="status" className="text-[13px]">
      {result.waits && 'It will be sent.'}
      {!result.waits && (
        <span className={result.status && result.status < 400 ? 'text-good' : 'text-bad'}>
          {result.status
            ? `Answered ${result.status} ${statusText(result.status)}.`
            : `Nobody answered: ${result.why}.`}
        </span>
      )}{' '}
      {result.call && (
        <Link href={`/calls?${new URLSearchParams({ call: result.call })}`} className="text-accent underline">
          See the call
        </Link>
      )}
    </p>
  );
}
