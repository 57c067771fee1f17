import { useMutation, useQueryClient } from '@tanstack/react-query';
import { keys } from '@/api/keys';
import type { Token } from '@/api/types';
import { moment } from '@/lib/format';
import { Button } from '@/ui/Button';
import { cn } from '@/ui/cn';
import { Dialog, DialogClose, DialogContent, DialogTrigger } from '@/ui/Dialog';
import { notify } from '@/ui/Notices';
import { bodyCell, headCell } from '@/ui/tableLook';
import { revokeToken } from './queries';

/** The tokens of the environment, each with what it reaches to and when it was last used. */
export function TokenTable({ tokens, mine }: { tokens: Token[]; mine?: string }) {
  return (
    <div className="overflow-x-auto border-line border-t">
      <table aria-label="Tokens" className="w-full text-[13px]">
        <thead>
          <tr className="border-line border-b">
            {['Name', 'Role', 'Services', 'Lanes', 'Last used', 'Holds until', 'Created', ''].map((head) => (
              <th key={head} scope="col" className={headCell}>
                {head || <span className="sr-only">What can be done</span>}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {tokens.map((token) => (
            <tr
              key={token.id}
              data-token={token.name}
              className={cn('border-line border-b', token.expired && 'text-dim')}
            >
              <td className={cn(bodyCell, 'py-2 font-medium')}>
                {token.name}
                {token.name === mine && <span className="font-normal text-dim"> (you)</span>}
              </td>
              <td className={cn(bodyCell, 'py-2')}>{token.role}</td>
              <td className={cn(bodyCell, 'py-2')}>{token.services?.join(', ') ?? all}</td>
              <td className={cn(bodyCell, 'py-2 font-mono')}>{token.lanes?.join(', ') ?? all}</td>
              <td className={cn(bodyCell, 'whitespace-nowrap py-2')}>
                {token.lastUsed ? moment(token.lastUsed) : <span className="text-dim">never</span>}
              </td>
              <td className={cn(bodyCell, 'whitespace-nowrap py-2')}>{endOf(token)}</td>
              <td className={cn(bodyCell, 'whitespace-nowrap py-2')}>
                {moment(token.created)}
                {token.by && <span className="text-dim"> by {token.by}</span>}
              </td>
              <td className={cn(bodyCell, 'py-1 text-right')}>
                <Revoke token={token} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

const all = <span className="font-sans text-dim">all</span>;

function endOf({ expires, expired }: Token) {
  if (!expires) return <span className="text-dim">it is revoked</span>;
  return expired ? `expired ${moment(expires)}` : moment(expires);
}

function Revoke({ token }: { token: Token }) {
  const queries = useQueryClient();
  const revoke = useMutation({
    mutationFn: () => revokeToken(token.id),
    onSuccess: () => {
      notify(`The token of ${token.name} is revoked`);
      return queries.invalidateQueries({ queryKey: keys.tokens() });
    },
    onError: (error) => notify(`It was not revoked: ${error.message}`),
  });
  return (
    <Dialog>
      <DialogTrigger asChild>
        <Button look="bare" aria-label={`Revoke ${token.name}`}>
          Revoke
        </Button>
      </DialogTrigger>
      <DialogContent title={`Revoke the token of ${token.name}?`}>
        <p className="mb-3 text-[13px]">
          Whoever has it is out within a second, for good. This cannot be undone: create another one for them.
        </p>
        <div className="flex gap-2">
          <DialogClose asChild>
            <Button look="danger" onClick={() => revoke.mutate()}>
              Revoke it
            </Button>
          </DialogClose>
          <DialogClose asChild>
            <Button>Leave it</Button>
          </DialogClose>
        </div>
      </DialogContent>
    </Dialog>
  );
}
