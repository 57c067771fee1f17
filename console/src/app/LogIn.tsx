import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { logIn } from '@/api/http';
import { keys } from '@/api/keys';
import { queries } from '@/api/queryClient';
import { signIn, signInAt } from '@/api/signIn';
import { keepToken } from '@/api/token';
import { Button } from '@/ui/Button';
import { CommandLine } from '@/ui/CommandLine';
import { Field } from '@/ui/Field';
import { ProblemNotice } from '@/ui/ProblemNotice';

/** Asks for the token of a shared environment. It is kept until the tab is closed. */
export function LogIn({ refused }: { refused: string }) {
  const { data: provider } = useQuery({ queryKey: keys.signIn(), queryFn: signInAt });
  const [secret, setSecret] = useState('');
  const enter = useMutation({
    mutationFn: () => logIn(secret.trim()),
    onSuccess: () => {
      keepToken(secret.trim());
      void queries.resetQueries();
    },
  });
  return (
    <main className="grid h-full place-items-center">
      <form
        className="w-[440px] space-y-4 rounded border border-line bg-panel p-6"
        onSubmit={(event) => {
          event.preventDefault();
          enter.mutate();
        }}
      >
        <div className="space-y-1">
          <h1 className="font-semibold text-lg">Rapid Mimic</h1>
          <p className="text-[13px] text-dim">
            {location.host} is shared, and asks who you are. Your token is kept until you close this tab.
          </p>
        </div>
        {refused && <ProblemNotice message={refused} />}
        {provider && (
          <div className="space-y-1 border-line border-b pb-4">
            <Button look="main" onClick={() => signIn()}>
              Sign in at {new URL(provider).host}
            </Button>
            <p className="text-dim text-xs">Or with a token:</p>
          </div>
        )}
        <Field
          label="Token"
          type="password"
          autoComplete="off"
          required
          value={secret}
          placeholder="rapidmimic_…"
          onChange={(event) => {
            setSecret(event.target.value);
            enter.reset();
          }}
          fault={enter.error?.message}
          className="w-full font-mono"
        />
        <Button look="main" type="submit" disabled={enter.isPending || !secret.trim()}>
          Log in
        </Button>
        <div className="space-y-1 border-line border-t pt-3">
          <p className="text-dim text-xs">Without a token? Whoever is admin creates one:</p>
          <CommandLine command="rapidmimic token create NAME --role editor" />
        </div>
      </form>
    </main>
  );
}
