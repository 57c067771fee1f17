import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useLocation } from 'wouter';
import { wrongIn } from '@/api/http';
import { keys } from '@/api/keys';
import { patchService } from '@/api/services';
import type { Service } from '@/api/types';
import { Button } from '@/ui/Button';
import { Dialog, DialogClose, DialogContent, DialogTrigger } from '@/ui/Dialog';
import { Field, inputLook } from '@/ui/Field';
import { notifyChange } from '@/ui/Notices';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { Switch } from '@/ui/Switch';
import { removeService } from './queries';

/** The settings of a service; each takes effect on the next call. */
export function ServiceSettings({ service }: { service: Service }) {
  const queries = useQueryClient();
  const [seed, setSeed] = useState(service.seed?.toString() ?? '');
  const [upstream, setUpstream] = useState(service.upstream ?? '');
  const change = useMutation({
    mutationFn: (settings: Record<string, unknown>) => patchService(service, settings),
    onSuccess: () => {
      notifyChange(`${service.name} changed, live on the next call`);
      return queries.invalidateQueries({ queryKey: keys.services() });
    },
  });
  return (
    <div className="space-y-4 px-5">
      {change.isError && <ProblemNotice message={change.error.message} />}
      <div className="flex flex-wrap items-center gap-x-8 gap-y-3">
        <Switch
          label="Browser pages of other origins may call"
          checked={service.cors}
          onCheckedChange={(cors) => change.mutate({ cors })}
        />
        <Switch
          label="Callers may ask for an example, a status or a delay (hints)"
          checked={service.hints}
          onCheckedChange={(hints) => change.mutate({ hints })}
        />
        <Switch
          label="Answers name who answered (Rapid-Mimic header)"
          checked={service.reveal}
          onCheckedChange={(reveal) => change.mutate({ reveal })}
        />
        <Switch
          label="Answers take the caller’s values (echo)"
          checked={service.echo}
          onCheckedChange={(echo) => change.mutate({ echo })}
        />
      </div>
      <label className="flex flex-wrap items-center gap-2 text-[13px]">
        Calls that break the contract
        <select
          value={service.conformance}
          onChange={(event) => change.mutate({ conformance: event.target.value })}
          className={inputLook}
        >
          <option value="report">are answered and marked in the log</option>
          <option value="refuse">are refused with a 400 that lists the places</option>
          <option value="off">are not looked for</option>
        </select>
      </label>
      <label className="flex flex-wrap items-center gap-2 text-[13px]">
        Calls without the credentials that the contract demands
        <select
          value={service.security ?? 'report'}
          onChange={(event) => change.mutate({ security: event.target.value })}
          className={inputLook}
        >
          <option value="report">are answered and marked in the log</option>
          <option value="refuse">are refused as the contract says</option>
          <option value="off">are not looked for</option>
        </select>
      </label>
      <form
        className="flex flex-wrap items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          change.mutate({ seed: seed.trim() === '' ? null : Number(seed) });
        }}
      >
        <Field
          label="Seed of generated data; empty for fresh data on each call"
          inputMode="numeric"
          pattern="-?[0-9]*"
          value={seed}
          onChange={(event) => setSeed(event.target.value)}
        />
        <Button type="submit" disabled={seed === (service.seed?.toString() ?? '')}>
          Set the seed
        </Button>
      </form>
      <form
        className="flex flex-wrap items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          const gone = upstream.trim() === '';
          change.mutate({
            upstream: gone ? null : upstream.trim(),
            ...(gone ? { mode: 'answer', otherwise: null } : {}),
          });
        }}
      >
        <Field
          label="Upstream: base URL of the real service; empty for none"
          placeholder="https://office.example/api"
          value={upstream}
          onChange={(event) => setUpstream(event.target.value)}
          className="w-96 font-mono"
        />
        <Button type="submit" disabled={upstream.trim() === (service.upstream ?? '')}>
          Set the upstream
        </Button>
        {service.upstream && (
          <span className="mb-1.5 flex">
            <Switch
              label="Ask it when nothing else answers"
              checked={service.otherwise?.includes('upstream') ?? false}
              onCheckedChange={(ask) =>
                change.mutate({ otherwise: ask ? [...byContract(service), 'upstream'] : byContract(service) })
              }
            />
          </span>
        )}
      </form>
      {service.contract && (
        <div>
          <Switch
            label="The contract answers when no mapping does"
            checked={byContract(service).length > 0}
            onCheckedChange={(answers) =>
              change.mutate({
                otherwise: [
                  ...(answers ? ['example', 'generated'] : []),
                  ...(service.otherwise ?? []).filter(
                    (way) => way !== 'example' && way !== 'generated' && way !== 'miss',
                  ),
                ],
              })
            }
          />
        </div>
      )}
      <RemoveService service={service} />
    </div>
  );
}

/** How the contract answers calls that no mapping does, as the service has it. */
function byContract({ otherwise = ['example', 'generated'] }: Service) {
  return otherwise.filter((way) => way === 'example' || way === 'generated');
}

function RemoveService({ service }: { service: Service }) {
  const [, navigate] = useLocation();
  const queries = useQueryClient();
  const remove = useMutation({
    mutationFn: () => removeService(service.name),
    onSuccess: () => {
      notifyChange(`${service.name} was removed; its calls stay in the log`);
      navigate('/');
      return queries.invalidateQueries({ queryKey: keys.services() });
    },
  });
  return (
    <Dialog>
      <DialogTrigger asChild>
        <Button look="danger">Remove the service</Button>
      </DialogTrigger>
      <DialogContent title={`Remove ${service.name}?`}>
        <p className="mb-4">
          Its contract and {service.mappings === 1 ? 'its mapping' : `its ${service.mappings} mappings`} go
          with it, and calls to {service.address} are missed from then on. It is kept for 30 days: the
          activity brings it back.
        </p>
        {remove.isError && <ProblemNotice message={wrongIn(remove.error)} />}
        <div className="flex gap-2">
          <Button look="danger" onClick={() => remove.mutate()}>
            Remove {service.name}
          </Button>
          <DialogClose asChild>
            <Button>Keep it</Button>
          </DialogClose>
        </div>
      </DialogContent>
    </Dialog>
  );
}
