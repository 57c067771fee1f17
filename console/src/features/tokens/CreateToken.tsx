import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { wrongIn } from '@/api/http';
import { keys } from '@/api/keys';
import type { NewToken, Token } from '@/api/types';
import { Button } from '@/ui/Button';
import { CommandLine } from '@/ui/CommandLine';
import { CopyButton } from '@/ui/CopyButton';
import { Field } from '@/ui/Field';
import { ProblemNotice } from '@/ui/ProblemNotice';
import { Select } from '@/ui/Select';
import { createToken } from './queries';
import { commandOf, noDraft, requestOf } from './tokenRequest';

const roles: [Token['role'], string][] = [
  ['viewer', 'viewer: reads'],
  ['tester', 'tester: lanes, test calls'],
  ['editor', 'editor: changes services'],
  ['admin', 'admin: everything'],
];

/** Creates a token for somebody, and shows it this once. */
export function CreateToken() {
  const queries = useQueryClient();
  const [draft, setDraft] = useState(noDraft);
  const create = useMutation({
    mutationFn: createToken,
    onSuccess: () => {
      setDraft(noDraft);
      return queries.invalidateQueries({ queryKey: keys.tokens() });
    },
  });
  const request = requestOf(draft);
  const set = (change: Partial<typeof noDraft>) => {
    setDraft({ ...draft, ...change });
    if (!create.isPending) create.reset();
  };
  const whole = draft.role === 'admin';
  return (
    <form
      className="space-y-2"
      onSubmit={(event) => {
        event.preventDefault();
        create.mutate(request);
      }}
    >
      <div className="flex flex-wrap items-end gap-3">
        <Field
          label="For whom"
          placeholder="mara"
          value={draft.name}
          maxLength={60}
          className="w-40"
          onChange={(event) => set({ name: event.target.value })}
        />
        <Select
          label="Role"
          value={draft.role}
          options={roles}
          onChange={(role) => set({ role: role as Token['role'] })}
        />
        <Field
          label="Services, empty for all"
          placeholder="moorings, tides"
          value={whole ? '' : draft.services}
          disabled={whole}
          className="w-48"
          onChange={(event) => set({ services: event.target.value })}
        />
        <Field
          label="Lanes, empty for all"
          placeholder="ci-*"
          value={whole ? '' : draft.lanes}
          disabled={whole}
          className="w-36"
          onChange={(event) => set({ lanes: event.target.value })}
        />
        <Select
          label="Holds for"
          value={draft.ttl}
          onChange={(ttl) => set({ ttl })}
          options={[
            ['1d', '1 day'],
            ['30d', '30 days'],
            ['365d', '1 year'],
            ['', 'until it is revoked'],
          ]}
        />
        <Button look="main" type="submit" disabled={!request.name || create.isPending}>
          Create a token
        </Button>
      </div>
      {create.error && <ProblemNotice message={wrongIn(create.error)} />}
      {create.data ? <Made token={create.data} /> : <CommandLine command={commandOf(request)} />}
    </form>
  );
}

/** The secret of a token that was just made. */
function Made({ token }: { token: NewToken }) {
  return (
    <div role="status" className="space-y-1 rounded border border-accent bg-panel px-3 py-2 text-[13px]">
      <p>
        The token of <strong className="font-medium">{token.name}</strong>. It is shown this once: hand it
        over now, by a way that you trust.
      </p>
      <p className="flex items-center gap-2">
        <code className="break-all font-mono" data-testid="secret">
          {token.secret}
        </code>
        <CopyButton text={token.secret} what="token" />
      </p>
    </div>
  );
}
